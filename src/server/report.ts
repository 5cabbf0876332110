import { DAY, startOfDay, type Instant, parseInstant } from '@/core/time';
import type { FlowReport, RevenueReport, StepReport } from '@/core/api';
import { eachStep, planOf, type Arm } from '@/core/flows';
import { CREDIT_MODELS, type CreditModel } from '@/core/revenue';
import type { Db } from '@/data/db';
import { findFlow, readVersion } from '@/data/flows';
import { armCounts, creditByStep, runCounts, sendCounts, waitingCounts } from '@/data/reports';
import { creditedBySource, revenueByDay, revenueTotals } from '@/data/revenue';
import { readStore } from '@/data/store';
import { notFound, Problem } from './http/problem';

export interface Period {
  readonly from: Instant;
  readonly to: Instant;
  readonly model: CreditModel;
}

/** Reads `from`, `to` and `model` of an address; without them, the last 30 days up to now. */
export function periodOf(url: URL, now: Instant, zone: string): Period {
  const read = (name: 'from' | 'to', otherwise: Instant): Instant => {
    const text = url.searchParams.get(name);
    if (!text) return otherwise;
    const date = /^\d{4}-\d{2}-\d{2}$/.test(text) ? parseInstant(`${text}T12:00:00Z`) : null;
    // a bare date means that local day: from its beginning, or to its end
    const at = date !== null ? startOfDay(name === 'from' ? date : date + DAY, zone) - (name === 'to' ? 1 : 0) : parseInstant(text);
    if (at === null) throw new Problem(400, 'Not a time', `"${name}" is not a time.`, [{ field: name, wrong: 'is not a time', right: '2026-11-24 or 2026-11-24T09:30:00Z' }]);
    return at;
  };
  const to = read('to', now);
  const from = read('from', to - 30 * DAY);
  if (from > to) throw new Problem(400, 'Not a period', '"from" is after "to".', [{ field: 'from', wrong: 'is after "to"', right: 'a time before "to"' }]);
  const model = url.searchParams.get('model') ?? CREDIT_MODELS[0];
  if (!(CREDIT_MODELS as readonly string[]).includes(model)) {
    throw new Problem(400, 'Not a model', `There is no credit model "${model.slice(0, 40)}".`, [{ field: 'model', wrong: 'is not a credit model', right: CREDIT_MODELS.join(', ') }]);
  }
  return { from, to, model: model as CreditModel };
}

/** The figures of a flow over a period, as a whole and by step. */
export async function flowReport(db: Db, scope: string, key: string, url: URL): Promise<FlowReport> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store.now, store.zone);
  const document = flow.version === null ? flow.draft : await readVersion(db, scope, flow.id, flow.version);
  const [counts, sends, credits, arms, waiting] = await Promise.all([
    runCounts(db, flow.id, from, to), sendCounts(db, flow.id, from, to), creditByStep(db, flow.id, from, to, model), armCounts(db, flow.id, from, to), waitingCounts(db, flow.id),
  ]);
  const own = credits.filter((credit) => credit.currency === store.currency);
  const others = new Map<string, number>();
  for (const credit of credits) if (credit.currency !== store.currency) others.set(credit.currency, (others.get(credit.currency) ?? 0) + Number(credit.minor));
  const total = (pick: (row: (typeof sends)[number]) => number) => sends.reduce((sum, row) => sum + pick(row), 0);

  const steps: StepReport[] = [];
  eachStep(document.steps, (step) => {
    const sent = sends.find((row) => row.step_id === step.id);
    const credit = own.find((row) => row.step_id === step.id);
    steps.push({
      id: step.id, kind: step.kind, name: 'name' in step ? step.name : null, waiting: waiting.get(step.id) ?? 0,
      sent: sent?.sent ?? 0, delivered: sent?.delivered ?? 0, bounced: sent?.bounced ?? 0, opened: sent?.opened ?? 0, clicked: sent?.clicked ?? 0, skipped: sent?.skipped ?? 0, failed: sent?.failed ?? 0,
      orders: credit?.orders ?? 0, revenue: { currency: store.currency, minor: Number(credit?.minor ?? 0) },
      ...(step.kind === 'branch' && { arms: step.arms.map((arm: Arm) => ({ id: arm.id, name: arm.name, people: arms.get(arm.id) ?? 0 })) }),
    });
  });
  return {
    from: new Date(from).toISOString(), to: new Date(to).toISOString(), model,
    entered: counts.entered, inside: counts.inside, completed: counts.completed,
    left: { goal: counts.goal, stayRule: counts.stay, notEntered: counts.not_entered }, goalReached: counts.goal_reached,
    sent: total((r) => r.sent), delivered: total((r) => r.delivered), bounced: total((r) => r.bounced), opened: total((r) => r.opened), clicked: total((r) => r.clicked),
    orders: credits.reduce((sum, row) => sum + row.orders, 0),
    revenue: { currency: store.currency, minor: own.reduce((sum, row) => sum + Number(row.minor), 0) },
    otherRevenue: [...others].map(([currency, minor]) => ({ currency, minor })),
    steps,
  };
}

/** Takings, credited and uncredited revenue, by flow and message and by day, in minor units. */
export async function revenueReport(db: Db, scope: string, url: URL): Promise<RevenueReport> {
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store.now, store.zone);
  const [totals, sources, days] = await Promise.all([
    revenueTotals(db, from, to, model), creditedBySource(db, from, to, model), revenueByDay(db, from, to, store.currency, store.zone, model),
  ]);
  const sum = (row: (typeof totals)[number] | undefined, currency: string) => {
    const takings = Number(row?.takings ?? 0);
    const credited = Number(row?.credited ?? 0);
    return { currency, orders: row?.orders ?? 0, takings, credited, uncredited: takings - credited };
  };
  const flows = new Map<string, { key: string; name: string; currency: string; minor: number; orders: number; messages: { stepId: string; name: string; minor: number; orders: number }[] }>();
  for (const row of sources.filter((one) => one.currency === store.currency)) {
    const flow = flows.get(row.flow_key) ?? { key: row.flow_key, name: row.flow_name, currency: row.currency, minor: 0, orders: 0, messages: [] };
    flow.minor += Number(row.minor);
    flow.orders += row.orders;
    const found = await findFlow(db, row.flow_key);
    const step = found?.version ? planOf(await readVersion(db, scope, found.id, found.version)).steps.get(row.step_id) : undefined;
    flow.messages.push({ stepId: row.step_id, name: step?.kind === 'send' ? step.name : row.step_id, minor: Number(row.minor), orders: row.orders });
    flows.set(row.flow_key, flow);
  }
  return {
    from: new Date(from).toISOString(), to: new Date(to).toISOString(), model,
    ...sum(totals.find((row) => row.currency === store.currency), store.currency),
    others: totals.filter((row) => row.currency !== store.currency).map((row) => sum(row, row.currency)),
    flows: [...flows.values()].sort((a, b) => b.minor - a.minor),
    days: days.map((day) => ({ day: day.day, takings: Number(day.takings), credited: Number(day.credited) })),
  };
}
