import type { Money } from '../money';
import type { Figure, FigureKind, ReportDocument, ReportSplit } from '../reports';
import type { Grain, RevenueSettings } from '../revenue';

/** What the last check of the ledger has found, and how far a rebuild has come. */
export interface LedgerStanding {
  readonly check: {
    readonly at: string;
    readonly orders: number;
    readonly differences: number;
    readonly examples: readonly { readonly orderId: string; readonly what: string }[];
  } | null;
  readonly rebuild: { readonly done: number; readonly of: number } | null;
}
export interface RevenueSettingsView extends LedgerStanding {
  readonly settings: RevenueSettings;
  readonly counted: string;
}

/** An order with every message before it, why each counts or does not, and its credits by each model, in minor units. */
export interface OrderCreditsView {
  readonly orderId: string;
  readonly person: string;
  readonly placedAt: string;
  readonly currency: string;
  readonly value: number;
  readonly discount: number;
  readonly tax: number;
  readonly shipping: number;
  readonly net: number;
  /** what counts of it, and when: the order, and what was taken off again */
  readonly bookings: readonly { readonly at: string; readonly minor: number }[];
  readonly touches: readonly {
    readonly send: string;
    readonly flow: { readonly key: string; readonly name: string };
    readonly step: string;
    readonly message: string;
    readonly channel: string;
    readonly deliveredAt: string | null;
    readonly openedAt: string | null;
    readonly clickedAt: readonly string[];
    readonly counts: { readonly did: string; readonly at: string } | null;
    readonly says: string;
    readonly credits: { readonly [model: string]: number };
  }[];
}

interface Between {
  readonly low: number;
  readonly high: number;
}
type Rate = ({ readonly share: number } & Between) | null;
interface Some {
  readonly carts: number;
  readonly value: number;
}
/** Carts that were left in a period, in minor units: those of people who cannot be written to stand apart. */
export interface CartsReport {
  readonly from: string;
  readonly to: string;
  readonly currency: string;
  /** within how many days an order wins a cart back */
  readonly windowDays: number;
  readonly open: Some;
  readonly wonBack: Some & { readonly revenue: number };
  readonly gone: Some;
  readonly unreachable: Some;
  /** what all that could be won back was worth, and what orders won back */
  readonly potential: number;
  readonly won: number;
  /** won back ÷ (won back + gone), of those that were left so many days ago or more */
  readonly rate: Rate;
  readonly how: { readonly clicked: Some; readonly sent: Some; readonly itself: Some };
  readonly weeks: readonly { readonly week: string; readonly carts: number; readonly won: number; readonly rate: Rate }[];
  readonly groups: readonly {
    readonly by: string;
    readonly lines: readonly {
      readonly key: string;
      readonly carts: number;
      readonly value: number;
      readonly won: number;
      readonly wonValue: number;
      readonly rate: Rate;
    }[];
  }[];
  /** by how many hours after it was left which share had come back (Kaplan–Meier) */
  readonly curve: readonly {
    readonly hours: number;
    readonly back: number;
    readonly low: number;
    readonly high: number;
    readonly atRisk: number;
  }[];
  readonly isCut: boolean;
}
export interface CartItemView {
  readonly cartId: string;
  readonly person: { readonly id: string; readonly name: string };
  readonly leftAt: string;
  readonly value: Money;
  readonly items: readonly { readonly name: string; readonly quantity: number }[];
  readonly state: 'open' | 'won' | 'gone' | 'unreachable';
  readonly messages: number;
  readonly last: { readonly flow: string; readonly name: string; readonly step: string } | null;
  readonly order: { readonly id: string; readonly at: string; readonly net: Money; readonly how: 'clicked' | 'sent' | 'itself' } | null;
}
export interface CartsView {
  readonly carts: readonly CartItemView[];
  readonly isMore: boolean;
}

/** People by the month of their first order; amounts in minor units. */
export interface CohortsView {
  readonly currency: string;
  readonly cohorts: readonly {
    /** such as 2026-11 */
    readonly month: string;
    readonly people: number;
    /** in the month itself, and in each after it: how many of them ordered, how often, for how much */
    readonly later: readonly { readonly people: number; readonly orders: number; readonly revenue: number }[];
  }[];
}
/** How people go on: from being known to the first order, to the second, to the third, with which they count as loyal. */
export interface ForwardView {
  readonly from: string;
  readonly to: string;
  readonly steps: readonly {
    readonly step: 'lead' | 'first' | 'second';
    /** took it in the period, and have gone on since */
    readonly people: number;
    readonly wentOn: number;
    /** for how many days anybody was seen */
    readonly seen: number;
    /** by which day half have gone on; null where that was not reached */
    readonly half: number | null;
    /** the share that has gone on by a day, with its interval; only as far as somebody was seen */
    readonly within: readonly ({ readonly days: number; readonly share: number } & Between)[];
    readonly curve: readonly ({ readonly days: number; readonly back: number } & Between)[];
    /** by the month in which the step was taken; the share within 90 days, null until somebody's are over */
    readonly months: readonly {
      readonly month: string;
      readonly people: number;
      readonly wentOn: number;
      readonly within90: ({ readonly share: number } & Between) | null;
    }[];
  }[];
}
/** After how many days people buy the same again, in whole days; the most bought first. */
export interface AgainView {
  readonly from: string;
  readonly to: string;
  readonly by: 'product' | 'category';
  readonly lines: readonly {
    readonly key: string;
    readonly name: string;
    /** how often it was bought in the period, and how often that was followed by another time */
    readonly bought: number;
    readonly again: number;
    /** for how many days anybody was seen */
    readonly seen: number;
    readonly within: readonly ({ readonly days: number; readonly share: number } & Between)[];
    /** by which day a quarter, half and three quarters of those who come back had; null where too few did */
    readonly quarter: number | null;
    readonly half: number | null;
    readonly most: number | null;
    /** where one was asked for */
    readonly curve: readonly ({ readonly days: number; readonly back: number } & Between)[] | null;
  }[];
}
/** What is expected of everybody together, and how an earlier fit held. */
export interface PredictionsView {
  readonly currency: string;
  readonly fit: {
    readonly at: string;
    readonly people: number;
    readonly active: number;
    readonly orders90: number;
    readonly year: number;
    /** from what a year on somebody is of the upper tenth */
    readonly high: number;
    readonly held: {
      readonly weeks: number;
      readonly people: number;
      readonly expected: number;
      readonly actual: number;
      readonly groups: readonly { readonly repeats: string; readonly people: number; readonly expected: number; readonly actual: number }[];
    } | null;
  } | null;
}

/** What a flow adds a person, in minor units; what is caused, beside what is credited. */
export interface FlowLiftView {
  /** null: of all flows together, by the store's control group */
  readonly flow: { readonly key: string; readonly name: string } | null;
  /** how many of a hundred are kept out */
  readonly control: number;
  readonly currency: string;
  /** for how long from their entry what they order counts; of all flows together since which day */
  readonly window: string;
  readonly people: { readonly in: number; readonly out: number };
  /** entered, and their time is not over yet */
  readonly waiting: { readonly in: number; readonly out: number };
  readonly perPerson: { readonly in: number; readonly out: number };
  readonly buyers: { readonly in: number; readonly out: number };
  readonly lift: number | null;
  readonly interval: Between | null;
  readonly explained: number;
  readonly credited: number;
  readonly moreNeeded: number | null;
  readonly daysNeeded: number | null;
  readonly says: string;
  readonly method: string;
}
/** A test of a flow, arm by arm; revenue in minor units. */
export interface TestView {
  readonly flow: { readonly key: string; readonly name: string };
  readonly step: string;
  readonly name: string;
  readonly currency: string;
  readonly window: string;
  /** the metric it was set up with: the goal of the flow, an order where it has none; of a sample test also openings or clicks */
  readonly goes: 'goal' | 'order' | 'opened' | 'clicked';
  readonly arms: readonly {
    readonly id: string;
    readonly name: string;
    readonly share: number;
    readonly people: number;
    readonly waiting: number;
    readonly goals: number;
    readonly rate: ({ readonly share: number } & Between) | null;
    readonly orders: number;
    readonly clickers: number;
    readonly perPerson: ({ readonly minor: number } & Between) | null;
    /** how likely it is better than the best of the others, where a difference and none were equally likely before */
    readonly chance: number | null;
  }[];
  readonly ahead: string | null;
  /** when the test was decided; null while it goes on */
  readonly decidedAt: string | null;
  /** how likely so uneven parts are by the shares that were set; below 0.001 something is wrong */
  readonly evenness: number;
  readonly moreNeeded: number | null;
  readonly daysNeeded: number | null;
  /** how many people enter the flow a day */
  readonly perDay: number;
  readonly says: string;
  readonly method: string;
}
export interface TestsView {
  readonly tests: readonly TestView[];
}

/** A report of one's own as it stands in the list. */
export interface ReportItem {
  readonly key: string;
  readonly document: ReportDocument;
  readonly revision: number;
  /** by which anybody may read it; null where it is not shared */
  readonly url: string | null;
  readonly nextAt: string | null;
  readonly sentAt: string | null;
  readonly changedAt: string;
  readonly changedBy: string;
}
/** What a report shows, in minor units; shares from 0 to 1. */
export interface ReportFigures {
  readonly from: string;
  readonly to: string;
  readonly currency: string;
  readonly model: string;
  readonly counted: string;
  readonly figures: readonly {
    readonly key: Figure;
    readonly name: string;
    readonly kind: FigureKind;
    readonly now: number | null;
    readonly before: number | null;
    readonly yearBefore: number | null;
  }[];
  readonly grain: Grain;
  readonly days: readonly { readonly day: string; readonly takings: number; readonly credited: number }[];
  readonly splits: readonly {
    readonly by: ReportSplit;
    readonly name: string;
    /** `takings` is null where only credit is split */
    readonly lines: readonly {
      readonly key: string;
      readonly name: string;
      readonly orders: number;
      readonly takings: number | null;
      readonly credited: number;
    }[];
    /** so many lines are not shown */
    readonly more: number;
  }[];
}
export interface ReportsView {
  readonly reports: readonly ReportItem[];
}
