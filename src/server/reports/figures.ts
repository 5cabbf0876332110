import type { ReportFigures, RevenueReport } from '@/core/api';
import { FIGURES, type Figure, type ReportDocument } from '@/core/reports';
import { isOfCredit, SPLIT_WORDS } from '@/core/revenue';
import { DAY, subtractDuration, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { CART_WINDOW_MS, cartOutcomes } from '@/data/revenue';
import { readStore, type StoreNow } from '@/data/store';
import { revenueReport, splitOfReport } from '../revenue';

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

/** What a report says now: its figures beside those of the period before and a year before, over time and split. */
export async function reportFigures(db: Db, document: ReportDocument, at?: Instant): Promise<ReportFigures> {
  const store = await readStore(db);
  const to = at ?? store.now;
  const from = to - document.days * DAY;
  const asked = new URLSearchParams({
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    grain: document.grain,
    ...(document.model && { model: document.model }),
  });
  const report = await revenueReport(db, new URL(`http://report/?${asked.toString()}`));
  const period = { from, to, model: document.model ?? store.revenue.model, currency: store.currency };
  const splits = await Promise.all(
    document.splits.map(async (by) => ({
      by,
      ...linesOf(by === 'flow' ? linesOfFlows(report) : linesOfSplit(await splitOfReport(db, by, period))),
    })),
  );
  const recovery = document.figures.includes('recovery') ? await recoveryOf(db, from, to, store) : null;
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
async function recoveryOf(
  db: Db,
  from: Instant,
  to: Instant,
  { now, zone, currency }: Pick<StoreNow, 'now' | 'zone' | 'currency'>,
): Promise<(number | null)[]> {
  const year = (at: Instant) => subtractDuration(at, 'P1Y', zone);
  const periods = [
    [from, to],
    [from - (to - from) - 1, from - 1],
    [year(from), year(to)],
  ] as const;
  return Promise.all(
    periods.map(async ([start, end]) => {
      const left = { from: start - CART_WINDOW_MS, to: end - CART_WINDOW_MS };
      const outcomes = await cartOutcomes(db, { ...left, later: left.to, now, currency });
      const won = outcomes.reduce((sum, one) => sum + one.won, 0);
      const decided = outcomes.reduce((sum, one) => sum + one.won + one.gone, 0);
      return decided ? won / decided : null;
    }),
  );
}

type Split = Pick<ReportFigures['splits'][number], 'lines' | 'more'>;
type Line = Split['lines'][number];

const linesOfFlows = ({ flows }: RevenueReport): Line[] =>
  flows.map(({ key, name, orders, minor }) => ({ key, name, orders, takings: null, credited: minor }));
const linesOfSplit = ({ by, rows }: NonNullable<RevenueReport['split']>): Line[] =>
  rows.map((row) => ({ ...row, takings: isOfCredit(by) ? null : row.takings }));
const linesOf = (all: readonly Line[]): Split => ({ lines: all.slice(0, MOST_LINES), more: Math.max(0, all.length - MOST_LINES) });
