import type { FlowReport, MessageReport, StepReport } from '@/core/api';
import { armsOf, eachStep, planOf, type Arm } from '@/core/flows';
import type { Db } from '@/data/db';
import {
  armCounts,
  creditByStep,
  creditedOrders,
  findFlow,
  formCounts,
  linkCounts,
  readVersion,
  runCounts,
  sendCounts,
  touchHours,
  verdictsOf,
  waitingCounts,
} from '@/data/flows';
import { readStore } from '@/data/store';
import { notFound, periodOf, Problem } from '../http';

/** The figures of a flow over a period, as a whole and by step. */
export async function flowReport(db: Db, key: string, url: URL): Promise<FlowReport> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store);
  const version = versionAsked(url);
  const document = flow.version === null ? flow.draft : await readVersion(db, flow.id, version ?? flow.version);
  const [counts, sends, credits, orders, arms, waiting, verdicts] = await Promise.all([
    runCounts(db, flow.id, from, to, version),
    sendCounts(db, flow.id, from, to, version),
    creditByStep(db, flow.id, from, to, model, version),
    creditedOrders(db, flow.id, from, to, model, version),
    armCounts(db, flow.id, from, to, version),
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

/** The one version that is asked for, or null for all of them. */
function versionAsked(url: URL): number | null {
  const text = url.searchParams.get('version');
  if (text === null) return null;
  if (!/^[1-9]\d{0,6}$/.test(text))
    throw new Problem(400, 'Not a version', `"${text.slice(0, 40)}" is no version.`, [
      { field: 'version', wrong: 'is no version', right: 'a whole number from 1 on' },
    ]);
  return Number(text);
}

/** What came of one message of a flow in a period: its versions, its links, and when it was opened and clicked. */
export async function messageReport(db: Db, key: string, stepId: string, url: URL): Promise<MessageReport> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const store = await readStore(db);
  const { from, to } = periodOf(url, store);
  const document = flow.version === null ? flow.draft : await readVersion(db, flow.id, flow.version);
  const step = planOf(document).steps.get(stepId);
  if (step?.kind !== 'send') throw notFound(`message "${stepId.slice(0, 40)}"`);
  const [forms, hours, links] = await Promise.all([
    formCounts(db, flow.id, stepId, from, to),
    touchHours(db, flow.id, stepId, from, to, store.zone),
    linkCounts(db, key, stepId, from, to),
  ]);
  const of = (what: 'opened' | 'clicked', by: 'after' | 'day') =>
    hours.filter((one) => one.what === what && one.by === by).map(({ hour, people }) => ({ hour, people }));
  return {
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    forms: forms.map(({ content, ...counts }) => ({
      id: content,
      name: content === null ? null : (step.versions?.find((one) => one.id === content)?.name ?? content),
      ...counts,
    })),
    links,
    openedAfter: of('opened', 'after'),
    clickedAfter: of('clicked', 'after'),
    openedAt: of('opened', 'day'),
  };
}
