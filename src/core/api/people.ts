import type { AttributeType } from '../people';
import type { Email } from '../messages';
import type { Money } from '../money';
import type { Barrier, Because, Channel, Value } from '../rules';
import type { FieldProblem } from './problems';
import type { PersonFlow } from './views';

export interface ConsentView {
  readonly channel: Channel;
  readonly address: string | null;
  readonly state: 'given' | 'withdrawn' | 'unknown';
  readonly at: string | null;
  readonly how: string | null;
  readonly place: string | null;
  readonly wording: string | null;
  readonly actor: string | null;
  readonly box: string | null;
  readonly country: string | null;
  readonly suppressed: string | null;
  readonly reachable: boolean;
  /** why marketing does not go out, or null */
  readonly because: string | null;
}

/** What is expected of somebody: whether they still buy, orders in 90 days, an order and a year, and when next. */
export interface PredictedView {
  readonly active: number;
  readonly orders90: number;
  readonly order: Money;
  readonly year: Money;
  readonly nextAt: string | null;
}
export interface PersonView {
  readonly id: string;
  /** our own number */
  readonly number: string;
  readonly externalId: string | null;
  readonly email: string | null;
  /** the address that a visitor says is theirs, without proof */
  readonly claimsEmail: string | null;
  readonly name: string | null;
  /** false for somebody who is only a device or a phone so far */
  readonly isKnown: boolean;
  readonly attributes: { readonly [name: string]: Value };
  readonly identifiers: readonly {
    readonly kind: string;
    readonly value: string;
    readonly since: string | null;
    readonly isShared: boolean;
  }[];
  /** the same as `channels`, for email alone */
  readonly consent: {
    readonly email: {
      readonly state: 'given' | 'withdrawn' | 'unknown';
      readonly at: string | null;
      readonly suppressed: string | null;
      readonly reachable: boolean;
      readonly because: string | null;
    };
  };
  readonly channels: readonly ConsentView[];
  readonly pausedUntil: string | null;
  /** of the store's control group: gets no marketing at all */
  readonly isKeptOut: boolean;
  readonly declined: readonly string[];
  readonly tags: readonly string[];
  /** segments they are in, since when and because of what */
  readonly segments: readonly { readonly key: string; readonly name: string; readonly since: string; readonly because: string }[];
  readonly lists: readonly { readonly key: string; readonly name: string; readonly at: string; readonly how: string }[];
  readonly orders: {
    readonly count: number;
    readonly firstAt: string | null;
    readonly lastAt: string | null;
    readonly totals: readonly Money[];
    /** days between orders, the one in the middle; null below two orders */ readonly typicalGapDays: number | null;
  };
  /** what is expected of them; null where they have not ordered, or too little is known */
  readonly predicted: PredictedView | null;
  readonly flows: readonly PersonFlow[];
  /** others who share a phone or a device with this person */
  readonly maybeSame: readonly {
    readonly id: string;
    readonly name: string | null;
    readonly email: string | null;
    readonly because: string;
  }[];
  readonly merges: readonly MergeView[];
  readonly createdAt: string;
  readonly seenAt: string;
}

export interface MergeView {
  readonly id: string;
  readonly at: string;
  readonly by: string;
  readonly because: string;
  readonly winner: { readonly id: string; readonly name: string | null; readonly email: string | null };
  readonly loser: { readonly externalId: string | null; readonly email: string | null; readonly name: string | null };
  readonly undoneAt: string | null;
  readonly undoneBy: string | null;
  /** not undone yet, and not older than 30 days */
  readonly canUndo: boolean;
}

/** How many of its decisions about somebody a flow's answer to "why not?" holds at most, the latest. */
export const DECISIONS = 40;

export interface WhyView {
  readonly flow: { readonly key: string; readonly name: string };
  readonly answer: 'not-started' | 'not-entered' | 'inside' | 'through' | 'never-on';
  /** one sentence that answers */
  readonly says: string;
  readonly conditions: readonly { readonly holds: boolean; readonly says: string; readonly because?: Because }[];
  readonly runs: readonly { readonly at: string; readonly says: string; readonly because?: Because }[];
}

export interface DirectoryItem {
  readonly id: string;
  readonly number: string;
  readonly email: string | null;
  readonly name: string | null;
  readonly country: string | null;
  readonly externalId: string | null;
  readonly orders: number;
  readonly value: Money;
  readonly lastOrderAt: string | null;
  readonly seenAt: string;
  readonly createdAt: string;
  readonly tags: readonly string[];
  readonly attributes: { readonly [name: string]: Value };
  /** why no marketing mail can go out, or null when it can */
  /** why no marketing email can go out, or null; and the kind of what stands in the way */
  readonly unreachable: string | null;
  readonly barrier: Barrier['kind'] | null;
}
export interface DirectoryView {
  /** how many match; null when they were not to be counted */
  readonly total: number | null;
  readonly offset: number;
  /** the rule as a sentence */
  readonly rule: string | null;
  readonly people: readonly DirectoryItem[];
}

export interface SavedView {
  readonly id: number;
  readonly name: string;
  readonly query: string;
  readonly by: string;
}

export interface ListView {
  readonly key: string;
  readonly name: string;
  readonly about: string;
  readonly doubleOptIn: boolean;
  /** the letter that asks for the click; null where that is the program's own */
  readonly confirmation: Email | null;
  readonly people: number;
  /** asked, and not confirmed yet */
  readonly waiting: number;
  readonly createdAt: string;
  readonly createdBy: string;
}
export interface GrowthView {
  readonly days: readonly { readonly day: string; readonly joined: number; readonly left: number; readonly people: number }[];
}

/** All attributes, how many there may be, and names under which something was said that did not become one. */
export interface AttributesView {
  readonly attributes: readonly AttributeView[];
  readonly most: number;
  readonly mostOfPerson: number;
  readonly unkept: readonly { readonly name: string; readonly events: number; readonly lastAt: string }[];
}

export interface AttributeView {
  readonly name: string;
  readonly type: AttributeType;
  readonly isDeclared: boolean;
  readonly about: string;
  readonly goesTo: string | null;
  readonly isRetired: boolean;
  /** how many people have it, and of what kind its values are; null and empty where that was not counted */
  readonly people: number | null;
  readonly kinds: { readonly [kind: string]: number };
  /** flows, forms and saved views that use it */
  readonly uses: readonly UseView[];
}
export interface UseView {
  readonly kind: 'flow' | 'form' | 'message' | 'view' | 'segment';
  readonly key: string;
  readonly name: string;
  readonly where: string;
}

/** A bulk act on people. */
export type BulkAct =
  | { readonly act: 'tag' | 'untag'; readonly tag: string }
  | { readonly act: 'list' | 'unlist'; readonly list: string }
  | { readonly act: 'consent'; readonly channel: Channel; readonly state: 'given' | 'withdrawn'; readonly how: string }
  | { readonly act: 'set'; readonly name: string; readonly value: Value }
  | { readonly act: 'suppress' }
  | { readonly act: 'start'; readonly flow: string }
  | { readonly act: 'erase' };

export interface WorkView {
  readonly id: string;
  readonly kind: string;
  readonly name: string;
  readonly state: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled' | 'undone';
  readonly done: number;
  readonly total: number | null;
  readonly says: string;
  readonly by: string;
  readonly createdAt: string;
  readonly endedAt: string | null;
  readonly canUndo: boolean;
  readonly detail: { readonly [name: string]: unknown };
  readonly result: { readonly [name: string]: unknown };
}

/** A rule in words, or what is wrong with it. */
export interface SaysView {
  readonly says: string | null;
  readonly problems: readonly FieldProblem[];
}

/** A rule looked at for one person. */
export interface ExplainView {
  readonly holds: boolean;
  /** when the answer could change without anything new; null when it cannot */
  readonly until: string | null;
  readonly because: Because;
}

/** One person beside a rule. */
export interface CountExample {
  readonly id: string;
  readonly name: string | null;
  readonly email: string | null;
  /** whether each part of the narrowing holds for them */
  readonly holds: readonly boolean[];
}

/** How many match a rule, and what each part of it leaves of those before it. */
export interface CountView {
  readonly everybody: number;
  readonly count: number;
  /** false for a sample: numbers are those of all, as far as a sample tells */
  readonly isExact: boolean;
  /** how far a sample’s count may be off, either way, nineteen times in twenty; null where it is exact */
  readonly plusMinus: number | null;
  readonly reachable: { readonly [channel in Channel]: number };
  readonly narrowing: readonly { readonly says: string; readonly count: number }[];
  readonly examples: readonly CountExample[];
  /** some who fall out at the very last part */
  readonly nearly: readonly CountExample[];
}
