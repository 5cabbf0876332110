import * as z from 'zod';
import type { LimitsDocument } from '../limits';

export interface SendingView {
  readonly limits: LimitsDocument;
  /** the days to come of this year and the next on which nothing goes out */
  readonly closedDays: readonly string[];
  /** of whom openings and clicks are counted: of everybody who has not said no, or only of those who have said yes */
  readonly tracking: 'unless-no' | 'only-yes';
}

/** What one part of a text message costs, in major units of the store's currency, by country (ISO 3166-1 alpha-2). */
export const textPricesInput = z.strictObject({
  prices: z.record(z.string().regex(/^[A-Z]{2}$/, 'is not a country of two letters'), z.number().min(0).max(100)),
});
export interface TextPricesView {
  readonly currency: string;
  readonly prices: { readonly [country: string]: number };
}

/** What went out, by local day: every day from the first on, a Monday, to today. */
export interface SendCalendarView {
  readonly days: readonly {
    readonly day: string;
    readonly sent: number;
    /** to how many people */
    readonly people: number;
    readonly opened: number;
    readonly clicked: number;
    /** nothing goes out: a holiday, or closed by hand */
    readonly isClosed: boolean;
  }[];
}
