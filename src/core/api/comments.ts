import type { Card } from '../cards';
import type { NoticeKind, Notified } from '../comments';

export interface CommentView {
  readonly id: string;
  readonly at: string;
  readonly by: string;
  readonly isYours: boolean;
  readonly text: string;
  readonly part: string | null;
  readonly changedAt: string | null;
  readonly done: { readonly at: string; readonly by: string } | null;
}
/** What things of a kind are for, who looks after each, and whom and which tags one can choose from. */
export interface CardsView {
  readonly cards: readonly (Card & { readonly key: string })[];
  readonly team: readonly string[];
  readonly tags: readonly string[];
}
export interface CommentsView {
  readonly comments: readonly CommentView[];
  /** who can be named */
  readonly team: readonly string[];
}
export interface NoticesView {
  readonly unseen: number;
  readonly items: readonly {
    readonly id: string;
    readonly kind: NoticeKind;
    readonly at: string;
    readonly says: string;
    readonly href: string;
    readonly isSeen: boolean;
  }[];
}
export interface NotifiedView {
  readonly notified: Notified;
}
