import * as z from 'zod';
import { ruleSchema, type Channel } from '../rules';
import type { Money } from '../money';
import type { FlowState } from './views';

/**
 * Where a broadcast stands: a draft; planned for a moment; going out; waiting until it is known which message does best, or for somebody
 * to choose one; stopped; gone out, with or without another round to come; or put away.
 */
export type BroadcastPhase = 'draft' | 'planned' | 'going' | 'trying' | 'asks' | 'stopped' | 'gone' | 'archived';

/** What messages came to. */
export interface Figures {
  readonly sent: number;
  readonly delivered: number;
  readonly bounced: number;
  readonly opened: number;
  readonly clicked: number;
  readonly orders: number;
  readonly revenue: Money;
}

export interface BroadcastItem extends Figures {
  readonly key: string;
  readonly name: string;
  readonly phase: BroadcastPhase;
  readonly state: FlowState;
  /** when it goes out next, or went out */
  readonly at: string | null;
  /** it comes round again */
  readonly repeats: boolean;
  /** how many have come into it so far */
  readonly entered: number;
  readonly tags: readonly string[];
  readonly owner: string;
  /** whether its screen can show all that it does */
  readonly isPlain: boolean;
}

/** How far a broadcast has come, beside its figures. */
export interface BroadcastView extends BroadcastItem {
  /** messages that are on their way, and people who stand inside for something that comes later */
  readonly queued: number;
  readonly inside: number;
  /** people who are still to be told of the occasion that has come */
  readonly toCome: number;
  readonly trial: {
    /** how many wait for what it shows */
    readonly waiting: number;
    /** when it is known, where nothing more is to come; null before that */
    readonly endsAt: string | null;
    readonly arms: readonly {
      readonly id: string;
      readonly name: string;
      readonly people: number;
      readonly did: number;
      readonly low: number;
      readonly high: number;
    }[];
    /** in words: which does best, or that it cannot be told */
    readonly says: string;
    readonly won: { readonly arm: string; readonly at: string } | null;
  } | null;
  /** for each message: what it is called, and what it came to */
  readonly messages: readonly (Figures & { readonly step: string; readonly name: string; readonly unsubscribed: number })[];
  /** why some did not get it, the most frequent reason first */
  readonly leftOut: readonly { readonly why: string; readonly people: number }[];
  /** the occasions at which its feed was looked at, the newest first */
  readonly news: readonly { readonly at: string; readonly entries: readonly string[]; readonly isTold: boolean }[];
  /** by hour from the first message on */
  readonly hours: readonly { readonly hour: string; readonly sent: number; readonly opened: number; readonly clicked: number }[];
}

/** What an audience comes to: who, by which channel, of what kind and topic. */
export const reachInput = z.strictObject({
  who: ruleSchema.nullable(),
  channel: z.enum(['email', 'sms', 'push']),
  kind: z.enum(['marketing', 'service']),
  topic: z.string().max(40).nullish(),
});

export interface ReachView {
  readonly channel: Channel;
  readonly people: number;
  /** of them, who can get it now */
  readonly reachable: number;
  readonly leftOut: readonly { readonly why: string; readonly people: number; readonly isAbout?: true }[];
  /** of those reachable, who have got something within the message gap of the store, so that theirs is held back; null without a gap */
  readonly held: { readonly people: number; readonly gap: string } | null;
}

export const SPLITS_OF_SENDS = ['domain', 'device', 'program', 'segment'] as const;
export type SplitOfSends = (typeof SPLITS_OF_SENDS)[number];

export interface SendSplitView {
  readonly by: SplitOfSends;
  readonly parts: readonly {
    readonly part: string;
    readonly sent: number;
    readonly delivered: number;
    readonly bounced: number;
    readonly opened: number;
    readonly clicked: number;
    readonly unsubscribed: number;
  }[];
}

/** What somebody did with a message, or what became of it. */
export const DIDS = ['all', 'sent', 'opened', 'not-opened', 'clicked', 'bounced', 'skipped', 'ordered'] as const;
export type Did = (typeof DIDS)[number];

export interface RecipientsView {
  readonly items: readonly {
    readonly person: string;
    readonly name: string;
    readonly email: string | null;
    readonly message: string;
    readonly state: string;
    readonly reason: string | null;
    readonly sentAt: string | null;
    readonly openedAt: string | null;
    readonly clickedAt: string | null;
    readonly ordered: boolean;
  }[];
  readonly next: string | null;
}

/** What goes out by day: broadcasts, and messages of flows, those that have gone and those that are to be expected. */
export interface CalendarView {
  readonly from: string;
  readonly to: string;
  readonly today: string;
  readonly days: readonly CalendarDay[];
}
export interface CalendarDay {
  readonly day: string;
  /** nothing marketing goes out on it, by the limits of the store */
  readonly isClosed: boolean;
  readonly broadcasts: readonly {
    readonly key: string;
    readonly name: string;
    readonly phase: BroadcastPhase;
    /** by the clocks of the store, where it is known; null for one that has gone out on that day and has another moment now */
    readonly time: string | null;
    readonly people: number;
    /** it may be put on another day: it is planned, once, and was not told yet */
    readonly isMovable: boolean;
  }[];
  /** messages of flows: gone, and due for people who wait now */
  readonly flows: { readonly sent: number; readonly due: number };
  /** what is too much for the same people, in words */
  readonly warnings: readonly string[];
}
