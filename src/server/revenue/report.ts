import type { RevenueReport } from '@/core/api';
import { planOf } from '@/core/flows';
import type { Db } from '@/data/db';
import { readVersion } from '@/data/flows';
import { creditedByModel, creditedBySource, revenueByDay, revenueTotals, SPLITS, splitRevenue, type Split } from '@/data/revenue';
import { readStore } from '@/data/store';
import { CHANNEL_WORDS, type Channel } from '@/core/rules';
import { sayCounted } from '@/core/revenue';
import { subtractDuration } from '@/core/time';
import { periodOf, Problem } from '../http';

/** By what the report is to be split, or null. */
function splitOf(url: URL): Split | null {
  const by = url.searchParams.get('by');
  if (!by || by === 'flow') return null;
  if (!(SPLITS as readonly string[]).includes(by))
    throw new Problem(400, 'Not a split', `Revenue is not split by "${by.slice(0, 40)}".`, [
      { field: 'by', wrong: 'is nothing that revenue is split by', right: ['flow', ...SPLITS].join(', ') },
    ]);
  return by as Split;
}

/** What a part of a split is called. */
function nameOfSplit(split: Split, key: string): string {
  if (split === 'channel') return CHANNEL_WORDS[key as Channel]?.name ?? key;
  if (split === 'first') return key === 'first' ? 'First orders' : 'Later orders';
  return key || { offer: 'No code of an offer', source: 'Unknown', product: '', category: '' }[split];
}

/** Credit by each model, of flows and of their messages. */
function modelsOf(rows: Awaited<ReturnType<typeof creditedByModel>>): RevenueReport['models'] {
  const lines = new Map<string, { flow: string; name: string; step: string | null; credited: Record<string, number> }>();
  for (const { flow, name, step, model, minor } of rows) {
    const id = `${flow} ${step ?? ''}`;
    const line = lines.get(id) ?? { flow, name, step, credited: {} };
    line.credited[model] = Number(minor);
    lines.set(id, line);
  }
  return [...lines.values()];
}

/** Takings, credited and uncredited revenue, by flow and message and by day, in minor units. */
export async function revenueReport(db: Db, url: URL): Promise<RevenueReport> {
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store);
  const split = splitOf(url);
  const long = to - from;
  const [totals, before, yearBefore, rows, byModel, sources, days] = await Promise.all([
    revenueTotals(db, from, to, model),
    revenueTotals(db, from - long - 1, from - 1, model),
    revenueTotals(db, subtractDuration(from, 'P1Y', store.zone), subtractDuration(to, 'P1Y', store.zone), model),
    split ? splitRevenue(db, split, from, to, model, store.currency) : null,
    creditedByModel(db, from, to, store.currency),
    creditedBySource(db, from, to, model),
    revenueByDay(db, from, to, store.currency, store.zone, model),
  ]);
  const sum = (row: (typeof totals)[number] | undefined, currency: string) => {
    const takings = Number(row?.takings ?? 0);
    const credited = Number(row?.credited ?? 0);
    return { currency, orders: row?.orders ?? 0, takings, credited, uncredited: takings - credited };
  };
  const own = sources.filter((one) => one.currency === store.currency);
  const flows = await Promise.all(
    own
      .filter((row) => row.step_id === null)
      .map(async (row) => {
        const steps = row.version === null ? null : planOf(await readVersion(db, row.flow_id, row.version)).steps;
        const nameOf = (stepId: string) => {
          const step = steps?.get(stepId);
          return step?.kind === 'send' ? step.name : stepId;
        };
        const messages = own.flatMap(({ flow_id: flowId, step_id: stepId, minor, orders }) =>
          flowId === row.flow_id && stepId !== null ? [{ stepId, name: nameOf(stepId), minor: Number(minor), orders }] : [],
        );
        return { key: row.flow_key, name: row.flow_name, currency: row.currency, minor: Number(row.minor), orders: row.orders, messages };
      }),
  );
  return {
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    model,
    ...sum(
      totals.find((row) => row.currency === store.currency),
      store.currency,
    ),
    others: totals.filter((row) => row.currency !== store.currency).map((row) => sum(row, row.currency)),
    flows,
    counted: sayCounted(store.revenue),
    before: sum(
      before.find((row) => row.currency === store.currency),
      store.currency,
    ),
    yearBefore: sum(
      yearBefore.find((row) => row.currency === store.currency),
      store.currency,
    ),
    ...(split &&
      rows && {
        split: {
          by: split,
          rows: rows.map(({ key, name, orders, takings, credited }) => ({
            key,
            name: name ?? nameOfSplit(split, key),
            orders,
            takings: Number(takings),
            credited: Number(credited),
          })),
        },
      }),
    models: modelsOf(byModel),
    days: days.map((day) => ({ day: day.day, takings: Number(day.takings), credited: Number(day.credited) })),
  };
}
