import type { ReportFigures, RevenueReport } from '@/core/api';
import { FIGURES, type Figure, type ReportDocument, type ReportSplit } from '@/core/reports';
import { SPLIT_WORDS, type Grain } from '@/core/revenue';
import { DAY, subtractDuration, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { CART_WINDOW_MS } from '@/data/revenue';
import { readStore } from '@/data/store';
import { cartsReport, revenueReport } from '../revenue';

/** So many lines of a split are shown; the rest is counted. */
const MOST_LINES = 12;

type Amounts = RevenueReport['before'];

/** What a figure comes to of the amounts of a period; null where there is nothing to take it of. Amounts in minor units. */
const OF: { readonly [figure in Exclude<Figure, 'recovery'>]: (of: Amounts) => number | null } = {
  takings: ({ takings }) => takings,
  orders: ({ orders }) => orders,
  average: ({ takings, orders }) => (orders ? Math.round(takings / orders) : null),
  credited: ({ credited }) => credited,
  share: ({ takings, credited }) => (takings > 0 ? credited / takings : null),
  uncredited: ({ uncredited }) => uncredited,
};

/** A period as it is asked for at the door. */
const addressOf = (from: Instant, to: Instant, more: Record<string, string> = {}): URL =>
  new URL(`http://report/?${new URLSearchParams({ from: new Date(from).toISOString(), to: new Date(to).toISOString(), ...more }).toString()}`);

/** What a report says now: its figures beside those of the period before and a year before, over time and split. */
export async function reportFigures(db: Db, document: ReportDocument, at?: Instant): Promise<ReportFigures> {
  const store = await readStore(db);
  const to = at ?? store.now;
  const from = to - document.days * DAY;
  const address = (more: Record<string, string>) => addressOf(from, to, { ...(document.model && { model: document.model }), ...more });
  const report = await revenueReport(db, address({ grain: document.grain satisfies Grain }));
  const splits = await Promise.all(
    document.splits.map(async (by) => ({
      by,
      ...linesOf(by, by === 'flow' ? report : await revenueReport(db, address({ by }))),
    })),
  );
  const recovery = document.figures.includes('recovery') ? await recoveryOf(db, from, to, store.zone) : null;
  return {
    from: report.from,
    to: report.to,
    currency: report.currency,
    model: report.model,
    counted: report.counted,
    figures: document.figures.map((key) => {
      const values = key === 'recovery' ? recovery! : [report, report.before, report.yearBefore].map(OF[key]);
      return { key, ...FIGURES[key], now: values[0]!, before: values[1]!, yearBefore: values[2]! };
    }),
    grain: report.grain,
    days: report.days,
    splits: splits.map((split) => ({ ...split, name: SPLIT_WORDS[split.by] })),
  };
}

/**
 * Which share of left carts came back, of those whose time to do so ended in the period, the one before and a year before: they were
 * left as long before it as they have.
 */
async function recoveryOf(db: Db, from: Instant, to: Instant, zone: string): Promise<(number | null)[]> {
  const year = (at: Instant) => subtractDuration(at, 'P1Y', zone);
  const periods = [
    [from, to],
    [from - (to - from) - 1, from - 1],
    [year(from), year(to)],
  ] as const;
  return Promise.all(
    periods.map(async ([start, end]) => (await cartsReport(db, addressOf(start - CART_WINDOW_MS, end - CART_WINDOW_MS))).rate?.share ?? null),
  );
}

type Lines = Pick<ReportFigures['splits'][number], 'lines' | 'more'>;

function linesOf(by: ReportSplit, report: RevenueReport): Lines {
  const all =
    by === 'flow'
      ? report.flows.map(({ name, orders, minor }) => ({ name, orders, takings: null, credited: minor }))
      : (report.split?.rows ?? []).map(({ name, orders, takings, credited }) => ({
          name,
          orders,
          takings: ['channel', 'arm', 'link'].includes(by) ? null : takings,
          credited,
        }));
  return { lines: all.slice(0, MOST_LINES), more: Math.max(0, all.length - MOST_LINES) };
}
