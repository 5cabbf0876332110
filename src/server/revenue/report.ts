import type { RevenueReport } from '@/core/api';
import { planOf } from '@/core/flows';
import type { Db } from '@/data/db';
import { readVersion } from '@/data/flows';
import { creditedBySource, revenueByDay, revenueTotals } from '@/data/revenue';
import { readStore } from '@/data/store';
import { periodOf } from '../http';

/** Takings, credited and uncredited revenue, by flow and message and by day, in minor units. */
export async function revenueReport(db: Db, url: URL): Promise<RevenueReport> {
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store);
  const [totals, sources, days] = await Promise.all([
    revenueTotals(db, from, to, model),
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
    days: days.map((day) => ({ day: day.day, takings: Number(day.takings), credited: Number(day.credited) })),
  };
}
