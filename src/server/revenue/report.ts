import type { RevenueReport } from '@/core/api';
import { planOf, stepsOf } from '@/core/flows';
import type { Db } from '@/data/db';
import { documentsNow, readVersion } from '@/data/flows';
import {
  creditedByModel,
  creditedBySource,
  otherCurrencies,
  revenueByDay,
  revenueTotals,
  splitRevenue,
  type OtherDayRow,
} from '@/data/revenue';
import { readStore, type StoreNow } from '@/data/store';
import { CHANNEL_WORDS, inStoreCurrency, type Channel } from '@/core/rules';
import { GRAINS, sayCounted, SPLITS, type Grain, type Split } from '@/core/revenue';
import { startOfDate, subtractDuration } from '@/core/time';
import { periodOf, Problem, type Period } from '../http';

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

/** What a part without a key is called. */
const NONE: { readonly [split in Split]?: string } = { offer: 'No code of an offer', source: 'Unknown' };

/** What a part of a split is called. */
function nameOfSplit(split: Split, key: string): string {
  if (split === 'channel') return CHANNEL_WORDS[key as Channel]?.name ?? key;
  if (split === 'first') return key === 'first' ? 'First orders' : 'Later orders';
  return key || (NONE[split] ?? '');
}

/** The arms of all tests by flow and arm, with what they are called. */
async function testArms(db: Db): Promise<Map<string, string>> {
  const flows = await documentsNow(db);
  return new Map(
    flows.flatMap(({ key, document }) =>
      stepsOf(document).flatMap((step) =>
        step.kind === 'test'
          ? step.arms.map((arm): [string, string] => [`${key} ${arm.id}`, `${document.name}: ${step.name}, ${arm.name}`])
          : [],
      ),
    ),
  );
}

/** Takings and credit, split as it is asked for. */
export async function splitOfReport(
  db: Db,
  by: Split,
  { from, to, model, currency }: Period & { currency: string },
): Promise<NonNullable<RevenueReport['split']>> {
  const [rows, arms] = await Promise.all([splitRevenue(db, by, from, to, model, currency), by === 'arm' ? testArms(db) : null]);
  return {
    by,
    rows: rows.flatMap(({ key, name, orders, takings, credited }) => {
      // what a run went through are arms of branches too: only tests are compared
      if (arms && !arms.has(key)) return [];
      return [
        {
          key,
          name: name ?? arms?.get(key) ?? nameOfSplit(by, key),
          orders,
          takings: Number(takings),
          credited: Number(credited),
        },
      ];
    }),
  };
}

/** How coarse takings over time are to be. */
function grainOf(url: URL): Grain {
  const grain = url.searchParams.get('grain') ?? 'day';
  if (!(GRAINS as readonly string[]).includes(grain))
    throw new Problem(400, 'Not a grain', `Takings are not told by "${grain.slice(0, 40)}".`, [
      { field: 'grain', wrong: 'is no length of time', right: GRAINS.join(', ') },
    ]);
  return grain as Grain;
}

/** What was taken in other currencies, by the rates of each day; null where a day has none. */
function inOwn(
  days: readonly OtherDayRow[],
  { zone, world }: Pick<StoreNow, 'zone' | 'world'>,
): { takings: number; credited: number } | null {
  const sum = { takings: 0, credited: 0 };
  for (const day of days)
    for (const what of ['takings', 'credited'] as const) {
      const minor = inStoreCurrency(Number(day[what]), day.currency, startOfDate(day.day, zone)!, zone, world);
      if (minor === null) return null;
      sum[what] += minor;
    }
  return sum;
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
  const by = splitOf(url);
  const grain = grainOf(url);
  const long = to - from;
  const [totals, before, yearBefore, split, byModel, sources, days, otherDays] = await Promise.all([
    revenueTotals(db, from, to, model),
    revenueTotals(db, from - long - 1, from - 1, model),
    revenueTotals(db, subtractDuration(from, 'P1Y', store.zone), subtractDuration(to, 'P1Y', store.zone), model),
    by && splitOfReport(db, by, { from, to, model, currency: store.currency }),
    creditedByModel(db, from, to, store.currency),
    creditedBySource(db, from, to, model),
    revenueByDay(db, from, to, store.currency, model, grain),
    otherCurrencies(db, { from, to, model, currency: store.currency }),
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
    others: totals
      .filter((row) => row.currency !== store.currency)
      .map((row) => ({
        ...sum(row, row.currency),
        own: inOwn(
          otherDays.filter(({ currency }) => currency === row.currency),
          store,
        ),
      })),
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
    ...(split && { split }),
    models: modelsOf(byModel),
    grain,
    days: days.map((day) => ({ day: day.day, takings: Number(day.takings), credited: Number(day.credited) })),
  };
}
