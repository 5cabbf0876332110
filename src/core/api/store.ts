import * as z from 'zod';
import { languageSchema } from '../messages';

/** What the store says of itself: in letters, beside every unsubscribe link, and as whom it writes. */
export const storeInput = z.strictObject({
  name: z.string().trim().min(1, 'must not be empty').max(80),
  /** the postal address that stands in every marketing letter */
  address: z.string().trim().min(1, 'must not be empty').max(300),
  fromEmail: z.email('is not an address').max(254),
  /** in which it writes, the usual one first: by their codes (ISO 639-1) */
  languages: z.array(languageSchema).min(1, 'must not be empty').max(20).optional(),
});

/** How long things are kept that nobody needs for ever. */
export const keptSchema = z.strictObject({
  /** bodies of webhooks, events that were refused and rows of files that were bad: days */
  bodiesDays: z.int().min(1).max(365),
  /** what people looked at and searched for: months; null for ever. Orders, messages and consent are never forgotten by time */
  browsingMonths: z.int().min(3).max(120).nullable(),
  /** why each decision of a run was made, once the run has ended: months; null for ever */
  tracesMonths: z.int().min(1).max(120).nullable(),
});
export type Kept = z.infer<typeof keptSchema>;
export const USUALLY_KEPT: Kept = { bodiesDays: 30, browsingMonths: null, tracesMonths: null };

/** What browsing is told by. What rules, letters and backtests ask of it goes with it; orders and credits do not hang on it. */
export const BROWSING = ['page.viewed', 'page.left', 'product.viewed', 'category.viewed', 'search.performed'] as const;

export interface StoreSettingsView {
  readonly name: string;
  readonly address: string;
  readonly fromEmail: string;
  readonly languages: readonly string[];
  readonly zone: string;
  readonly currency: string;
  readonly kept: Kept;
}
