import type { Role } from '../access';
import type { Change, Finding, FlowDocument, Stage } from '../flows';
import type { Money } from '../money';
import type { FieldProblem } from './problems';
import type { Because, Value } from '../rules';
import type { ActChange } from '../team';

/** The answers of the public interface, as types: the server gives them, the screens take them. Times are RFC 3339. */
/** What has fallen due in a flow while it is paused: people, and before which steps they stand. */
export interface DueView {
  readonly people: number;
  readonly steps: readonly { readonly step: string; readonly says: string; readonly isMessage: boolean; readonly people: number }[];
}

export type FlowState = 'draft' | 'on' | 'paused' | 'archived';

export interface FlowView {
  readonly key: string;
  readonly name: string;
  readonly state: FlowState;
  /** the version that new runs follow, or null before the first publishing */
  readonly version: number | null;
  readonly revision: number;
  readonly draft: FlowDocument;
  readonly published: FlowDocument | null;
  /** after publishing: those who belonged in it already and enter now, as long work */
  readonly entering?: { readonly id: string; readonly people: number } | null;
  /** after publishing: the first message that somebody gets for whom it begins now, and when */
  readonly first?: { readonly at: string; readonly name: string } | null;
  /** what publishing the draft would change */
  readonly changes: readonly Change[];
  readonly preflight: readonly Finding[];
  readonly inside: number;
  readonly armed: number;
  /** of those inside, where they would go on in the draft: at the same step, at the next that is there, or nowhere any more */
  readonly moves: { readonly same: number; readonly on: number; readonly end: number };
}

/** What a draft gets wrong, or should be thought about. */
export interface PreflightView {
  readonly revision: number;
  readonly findings: readonly {
    readonly severity: 'stops' | 'warns';
    readonly code: string;
    readonly place: { readonly step: string; readonly kind: string } | null;
    readonly says: string;
    readonly advice: string;
    /** why somebody has accepted it */
    readonly accepted: string | null;
    /** what mends it in one act, and the document after it */
    readonly mend: { readonly says: string; readonly document: FlowDocument } | null;
  }[];
  /** what came of the flow's own checks */
  readonly checks: readonly { readonly name: string; readonly isWell: boolean; readonly says: string }[];
}

/** A published version of a flow. */
export interface VersionView {
  readonly version: number;
  readonly at: string;
  readonly by: string;
  /** what it changed of the one before */
  readonly changes: readonly Change[];
  /** how many are inside on it */
  readonly inside: number;
}

export interface FlowListItem {
  readonly key: string;
  readonly name: string;
  readonly state: FlowState;
  readonly version: number | null;
  readonly trigger: string;
  readonly description: string;
  readonly tags: readonly string[];
  readonly owner: string;
  readonly stage: Stage | null;
  readonly hasChanges: boolean;
  readonly inside: number;
  readonly sent24h: number;
  /** people who entered in the last 30 days */
  readonly entered: number;
  /** credited in the last 30 days */
  readonly revenue: Money;
  /** the same by day, minor units, oldest first */
  readonly daily: readonly number[];
  /** what about it wants to be looked at, as sentences */
  readonly attention: readonly string[];
}
/** A flow to begin with: one that is always there, or one of the store’s own. */
export interface StarterView {
  readonly key: string;
  readonly name: string;
  readonly says: string;
  /** types of events that have to arrive for it to work */
  readonly needs: readonly string[];
  readonly document: FlowDocument;
  readonly own: { readonly at: string; readonly by: string } | null;
}

export interface FlowListView {
  readonly flows: readonly FlowListItem[];
}

export interface StepReport {
  readonly id: string;
  readonly kind: string;
  readonly name: string | null;
  /** people who wait here now */
  readonly waiting: number;
  readonly sent: number;
  readonly delivered: number;
  readonly bounced: number;
  readonly opened: number;
  readonly clicked: number;
  readonly skipped: number;
  readonly failed: number;
  readonly orders: number;
  readonly revenue: Money;
  /** `goal`: how many of those who took it have reached the goal */
  readonly arms?: readonly { readonly id: string; readonly name: string; readonly people: number; readonly goal: number }[];
  /** of a test that decides by itself: when it has, by which numbers, and for which arm; null where no difference was sure */
  readonly decided?: {
    readonly at: string;
    readonly arm: string | null;
    readonly arms: readonly { readonly id: string; readonly people: number; readonly goal: number }[];
  };
}

export interface FlowReport {
  readonly from: string;
  readonly to: string;
  readonly model: string;
  readonly entered: number;
  readonly inside: number;
  readonly completed: number;
  readonly left: {
    readonly goal: number;
    readonly stayRule: number;
    readonly notEntered: number;
    /** their trigger turned out never to have come about */ readonly undone: number;
  };
  /** runs that broke, were set aside, and are tried again */
  readonly broken: number;
  readonly goalReached: number;
  /** who was drawn to get nothing in that time, and how many of them reached the goal all the same */
  readonly control: { readonly people: number; readonly goalReached: number };
  readonly sent: number;
  readonly delivered: number;
  readonly bounced: number;
  readonly opened: number;
  readonly clicked: number;
  readonly orders: number;
  readonly revenue: Money;
  /** credit of orders in other currencies than the store's, never added to `revenue` */
  readonly otherRevenue: readonly Money[];
  readonly steps: readonly StepReport[];
}

/** Who else has a flow open, and the revision of its draft. */
export interface PresenceView {
  readonly revision: number;
  readonly others: readonly { readonly name: string; readonly step: string | null }[];
}

/** What came of one message of a flow in a period. */
export interface MessageReport {
  readonly from: string;
  readonly to: string;
  /** by the version of its content that people got; the plain one has no id */
  readonly forms: readonly {
    readonly id: string | null;
    readonly name: string | null;
    readonly sent: number;
    readonly opened: number;
    readonly clicked: number;
  }[];
  /** addresses that differ in their last part alone are one, where there are many: `different` says how many */
  readonly links: readonly { readonly url: string; readonly clicks: number; readonly people: number; readonly different: number }[];
  /** people by whole hours from its going out to the first opening, and to the first click; 168 stands for a week or more */
  readonly openedAfter: readonly { readonly hour: number; readonly people: number }[];
  readonly clickedAfter: readonly { readonly hour: number; readonly people: number }[];
  /** people by the hour of the day at which they first opened it, by the store's clock */
  readonly openedAt: readonly { readonly hour: number; readonly people: number }[];
}

export interface PersonFlow {
  readonly run: string;
  readonly flow: string;
  readonly name: string;
  readonly version: number;
  readonly key: string;
  readonly phase: string;
  readonly enteredAt: string | null;
  readonly nextAt: string | null;
  readonly at: string | null;
  readonly next: string | null;
}

export interface TimelineItem {
  readonly at: string;
  readonly kind: 'event' | 'trace' | 'send' | 'consent' | 'note';
  readonly type: string;
  readonly says: string;
  readonly flow?: { readonly key: string; readonly name: string };
  readonly step?: string;
  readonly run?: string;
  readonly because?: Because;
  readonly detail?: { readonly [name: string]: Value };
}
export interface TimelineView {
  readonly person: string;
  readonly items: readonly TimelineItem[];
  readonly next: string | null;
}

export interface RevenueTotals {
  readonly currency: string;
  readonly orders: number;
  readonly takings: number;
  readonly credited: number;
  readonly uncredited: number;
}
export interface RevenueReport extends RevenueTotals {
  readonly from: string;
  readonly to: string;
  readonly model: string;
  /** orders in other currencies, never added up with the store's; `own` is what they came to by the rates of each day, null where a day has none */
  readonly others: readonly (RevenueTotals & { readonly own: { readonly takings: number; readonly credited: number } | null })[];
  readonly flows: readonly {
    readonly key: string;
    readonly name: string;
    readonly currency: string;
    readonly minor: number;
    readonly orders: number;
    readonly messages: readonly { readonly stepId: string; readonly name: string; readonly minor: number; readonly orders: number }[];
  }[];
  /** by day, week (from Monday on) or month: `day` is the first of it */
  readonly grain: 'day' | 'week' | 'month';
  readonly days: readonly { readonly day: string; readonly takings: number; readonly credited: number }[];
  /** what the amounts count, in words */
  readonly counted: string;
  /** the same of the period of the same length before it, and of a year before */
  readonly before: RevenueTotals;
  readonly yearBefore: RevenueTotals;
  /** as it was asked for by `by`: takings and credit split; of channels, arms and links only credit */
  readonly split?: {
    readonly by: string;
    readonly rows: readonly {
      readonly key: string;
      readonly name: string;
      readonly orders: number;
      readonly takings: number;
      readonly credited: number;
    }[];
  };
  /** credit by each model, of the flows and of their messages */
  readonly models: readonly {
    readonly flow: string;
    readonly name: string;
    readonly step: string | null;
    readonly credited: { readonly [model: string]: number };
  }[];
}

export interface LedgerItem {
  readonly orderId: string;
  readonly person: string;
  readonly email: string | null;
  readonly placedAt: string;
  readonly currency: string;
  readonly net: number;
  readonly value: number;
  readonly refunded: number;
  readonly isCancelled: boolean;
  readonly credited: number;
  /** which messages have a share in it by the model, the largest first */
  readonly shares: readonly {
    readonly flow: string;
    readonly name: string;
    readonly step: string;
    readonly because: 'click' | 'open' | 'delivery';
    readonly minor: number;
  }[];
}
export interface LedgerView {
  readonly orders: readonly LedgerItem[];
  readonly next: string | null;
}

/** Where store time stands after a move; when not all of it is done yet, the rest is asked for with `target`. */
export interface MovedView {
  readonly now: string;
  readonly target: string;
  readonly isThere: boolean;
  readonly moved: number;
}

export interface ClockView {
  readonly now: string;
  readonly zone: string;
  readonly offsetMs: number;
}

/** Problem details (RFC 9457), with the fields that were wrong. */
export interface ProblemView {
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly errors?: readonly FieldProblem[];
}

/** Somebody's own account: who they are, and where they are signed in. */
export interface AccountView {
  readonly role: Role;
  readonly email: string;
  readonly name: string;
  readonly sessions: readonly {
    readonly isThis: boolean;
    readonly startedAt: string;
    readonly seenAt: string;
    readonly address: string;
    readonly agent: string;
  }[];
  /** how long a session lasts, in hours */
  readonly hours: number;
  /** a second factor or a passkey is asked of everybody, and they have neither */
  readonly lacksSecond: boolean;
}

/** Who works on the store. */
export interface TeamView {
  readonly members: readonly {
    readonly id: string;
    readonly name: string;
    readonly email: string;
    readonly role: Role;
    readonly invitedBy: string | null;
    /** null as long as they have not chosen a password */
    readonly joinedAt: string | null;
    readonly seenAt: string | null;
    /** they sign in with a second factor */
    readonly hasSecond: boolean;
    /** how many passkeys sign them in without password and code */
    readonly passkeys: number;
    readonly isYou: boolean;
  }[];
  /** after how many hours everybody signs in again, and whether a second factor or a passkey is asked of them */
  readonly signingIn: { readonly hours: number; readonly second: boolean };
}

/** What was done in the store, newest first. */
export interface ActsView {
  readonly acts: readonly {
    readonly id: string;
    readonly at: string;
    readonly actor: string;
    readonly what: string;
    readonly detail: { readonly [name: string]: unknown };
    /** what of what is written by hand it has changed */
    readonly changes: readonly ActChange[];
  }[];
  readonly next: string | null;
  readonly actors: readonly string[];
  readonly kinds: readonly string[];
}

/** A passkey of one's own account: the key of a device by which one signs in without a password. */
export interface PasskeyView {
  readonly id: string;
  readonly name: string;
  readonly madeAt: string;
  readonly usedAt: string | null;
}

/** The passkeys of one's own account, and whether browsers make any for the address at which Viatic is. */
export interface PasskeysView {
  readonly passkeys: readonly PasskeyView[];
  readonly canMake: boolean;
}

/** The second factor of one's own account. */
export interface SecondFactorView {
  /** since when it is asked for; null where it is not */
  readonly since: string | null;
  /** how many codes for when the device is lost are left */
  readonly codesLeft: number;
  /** what an authenticator program takes in, while it is being set up */
  readonly setup: { readonly secret: string; readonly uri: string } | null;
}
