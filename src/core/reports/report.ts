import * as z from 'zod';
import { CREDIT_MODELS, GRAINS, SPLIT_WORDS, type Split } from '../revenue';

/** What a report may show of a period: amounts, counts and shares. */
export const FIGURES = {
  takings: { name: 'Takings, net', kind: 'money' },
  orders: { name: 'Orders', kind: 'count' },
  average: { name: 'A common order', kind: 'money' },
  credited: { name: 'Credited to messages', kind: 'money' },
  share: { name: 'Of that credited', kind: 'share' },
  uncredited: { name: 'Not credited', kind: 'money' },
  recovery: { name: 'Left carts that came back in their time', kind: 'share' },
} as const;
export type Figure = keyof typeof FIGURES;
export type FigureKind = (typeof FIGURES)[Figure]['kind'];

/** How long a report may look back, in days up to its moment. */
export const REPORT_DAYS = [7, 30, 90, 180, 365] as const;
export const MOST_READERS = 20;
const MOST_SPLITS = 4;

const eachOnce = (list: readonly string[]) => new Set(list).size === list.length;
const keysOf = <T extends string>(words: Readonly<Record<T, unknown>>) => Object.keys(words) as [T, ...T[]];

/** A report of one's own: which figures, split by what, over how long, and to whom it goes each week. */
export const reportSchema = z.strictObject({
  schema: z.literal('viatic.report/1'),
  name: z.string().trim().min(1, 'needs a name').max(80),
  days: z.union(REPORT_DAYS.map((days) => z.literal(days))),
  /** null: the store's own */
  model: z.enum(CREDIT_MODELS).nullable(),
  grain: z.enum(GRAINS),
  figures: z
    .array(z.enum(keysOf(FIGURES)))
    .min(1, 'names at least one figure')
    .refine(eachOnce, 'names each figure once'),
  splits: z
    .array(z.enum(keysOf(SPLIT_WORDS)))
    .max(MOST_SPLITS, `has at most ${MOST_SPLITS}`)
    .refine(eachOnce, 'names each split once'),
  mail: z
    .strictObject({
      /** 1 is Monday (ISO 8601) */
      weekday: z.number().int().min(1).max(7),
      /** in the store's zone */
      at: z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'is a time such as 08:00'),
      to: z
        .array(z.email('is an email address').max(254))
        .min(1, 'names at least one reader')
        .max(MOST_READERS, `has at most ${MOST_READERS} readers`)
        .refine(eachOnce, 'names each reader once'),
    })
    .nullable(),
});
export type ReportDocument = z.infer<typeof reportSchema>;
export type ReportSplit = 'flow' | Split;

/** A report to begin with. */
export const newReport = (): ReportDocument => ({
  schema: 'viatic.report/1',
  name: '',
  days: 7,
  model: null,
  grain: 'day',
  figures: ['takings', 'orders', 'credited', 'recovery'],
  splits: ['flow'],
  mail: null,
});
