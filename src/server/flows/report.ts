import type { FlowReport, StepReport } from '@/core/api';
import { armsOf, eachStep, type Arm } from '@/core/flows';
import type { Db } from '@/data/db';
import {
  armCounts,
  creditByStep,
  creditedOrders,
  findFlow,
  readVersion,
  runCounts,
  sendCounts,
  verdictsOf,
  waitingCounts,
} from '@/data/flows';
import { readStore } from '@/data/store';
import { notFound, periodOf } from '../http';

/** The figures of a flow over a period, as a whole and by step. */
export async function flowReport(db: Db, key: string, url: URL): Promise<FlowReport> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store.now, store.zone);
  const document = flow.version === null ? flow.draft : await readVersion(db, flow.id, flow.version);
  const [counts, sends, credits, orders, arms, waiting, verdicts] = await Promise.all([
    runCounts(db, flow.id, from, to),
    sendCounts(db, flow.id, from, to),
    creditByStep(db, flow.id, from, to, model),
    creditedOrders(db, flow.id, from, to, model),
    armCounts(db, flow.id, from, to),
    waitingCounts(db, flow.id),
    verdictsOf(db, flow.id),
  ]);
  const own = credits.filter((credit) => credit.currency === store.currency);
  const others = new Map<string, number>();
  for (const credit of credits)
    if (credit.currency !== store.currency) others.set(credit.currency, (others.get(credit.currency) ?? 0) + Number(credit.minor));
  const total = (pick: (row: (typeof sends)[number]) => number) => sends.reduce((sum, row) => sum + pick(row), 0);

  const steps: StepReport[] = [];
  eachStep(document.steps, (step) => {
    const sent = sends.find((row) => row.step_id === step.id);
    const credit = own.find((row) => row.step_id === step.id);
    const verdict = verdicts.find((one) => one.step_id === step.id && one.test === JSON.stringify(step));
    steps.push({
      id: step.id,
      kind: step.kind,
      name: 'name' in step ? step.name : null,
      waiting: waiting.get(step.id) ?? 0,
      sent: sent?.sent ?? 0,
      delivered: sent?.delivered ?? 0,
      bounced: sent?.bounced ?? 0,
      opened: sent?.opened ?? 0,
      clicked: sent?.clicked ?? 0,
      skipped: sent?.skipped ?? 0,
      failed: sent?.failed ?? 0,
      orders: credit?.orders ?? 0,
      revenue: { currency: store.currency, minor: Number(credit?.minor ?? 0) },
      ...(armsOf(step).length > 0 && {
        arms: armsOf(step).map((arm: Arm) => ({ id: arm.id, name: arm.name, ...(arms.get(arm.id) ?? { people: 0, goal: 0 }) })),
      }),
      ...(verdict && {
        decided: {
          at: verdict.at.toISOString(),
          arm: verdict.arm,
          arms: Object.entries(verdict.counts).map(([id, { of, count }]) => ({ id, people: of, goal: count })),
        },
      }),
    });
  });
  return {
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    model,
    entered: counts.entered,
    inside: counts.inside,
    completed: counts.completed,
    left: { goal: counts.goal, stayRule: counts.stay, notEntered: counts.not_entered, undone: counts.undone },
    broken: counts.broken,
    goalReached: counts.goal_reached,
    control: { people: counts.control, goalReached: counts.control_goal },
    sent: total((r) => r.sent),
    delivered: total((r) => r.delivered),
    bounced: total((r) => r.bounced),
    opened: total((r) => r.opened),
    clicked: total((r) => r.clicked),
    orders,
    revenue: { currency: store.currency, minor: own.reduce((sum, row) => sum + Number(row.minor), 0) },
    otherRevenue: [...others].map(([currency, minor]) => ({ currency, minor })),
    steps,
  };
}
