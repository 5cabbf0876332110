import type { Channel, Rule } from '../rules';
import type { SegmentDocument } from '../segments';
import type { UseView } from './people';

/** A segment in a list of them. `size` is null until it is first built. */
export interface SegmentItem {
  readonly key: string;
  readonly name: string;
  readonly about: string;
  readonly says: string;
  /** the same as it goes on from "everybody": "who has placed an order" */
  readonly who: string;
  readonly tags: readonly string[];
  readonly owner: string | null;
  readonly size: number | null;
  /** in the last 30 days */
  readonly joined: number;
  readonly left: number;
  readonly isBuilding: boolean;
  readonly changedAt: string;
}

/** One segment with its figures. */
export interface SegmentView extends SegmentItem {
  readonly document: SegmentDocument;
  readonly builtAt: string | null;
  /** whom the rule is about by which people are in it until the present one is built; null when that is the present one */
  readonly keptBy: string | null;
  readonly reachable: { readonly [channel in Channel]: number };
  /** orders and what they come to, of its people and of everybody */
  readonly worth: { readonly people: Worth; readonly everybody: Worth };
  readonly uses: readonly UseView[];
  /** the long work that builds it, while it is under way */
  readonly workId: string | null;
  readonly createdAt: string;
  readonly createdBy: string;
}

/** What orders of some people come to, in minor units of the store's currency. */
export interface Worth {
  readonly people: number;
  readonly buyers: number;
  readonly orders: number;
  readonly value: { readonly currency: string; readonly minor: number };
}

export interface MembersView {
  readonly total: number;
  readonly people: readonly {
    readonly id: string;
    readonly externalId: string | null;
    readonly name: string | null;
    readonly email: string | null;
    readonly since: string;
    /** why they are in it, in words */
    readonly because: string;
  }[];
}

export interface HistoryView {
  readonly days: readonly { readonly day: string; readonly size: number; readonly joined: number; readonly left: number }[];
}

export interface MovesView {
  readonly moves: readonly {
    readonly id: string | null;
    readonly name: string | null;
    readonly email: string | null;
    readonly at: string;
    readonly act: 'joined' | 'left';
    readonly because: string;
  }[];
}

/** How many people segments have in common, any two. */
export interface OverlapView {
  readonly segments: readonly { readonly key: string; readonly name: string; readonly size: number }[];
  readonly pairs: readonly { readonly a: string; readonly b: string; readonly people: number }[];
}

/** A segment of ours that every shop can use, with its words filled in for this store. */
export interface ReadyMade {
  readonly key: string;
  readonly name: string;
  readonly about: string;
  readonly says: string;
  /** the same as it goes on from "everybody": "who has placed an order" */
  readonly who: string;
  readonly rule: Rule;
  readonly isThere: boolean;
}
