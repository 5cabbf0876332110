import type { FlowLiftView, TestsView, TestView } from '@/core/api';
import { stepsOf, type FlowDocument, type TestStep } from '@/core/flows';
import { isKeptOut } from '@/core/limits';
import { countedArms, FEWEST_PER_VARIANT, liftOf, sayLift, testVerdict, VERDICT_METHOD, type TestVerdict } from '@/core/revenue';
import { sayDay } from '@/core/rules';
import { meanInterval, sampleOf, shareInterval, type Share } from '@/core/stats';
import { addDuration, DAY, localDate, sayDuration, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import {
  decidedBy,
  documentsNow,
  findFlow,
  listVersions,
  readVersion,
  trialSoFar,
  verdictsOf,
  type ArmShares,
  type VerdictRow,
} from '@/data/flows';
import { armSums, creditOfFlow, entriesADay, liftSums, NOBODY, storeSums, type GroupSums } from '@/data/revenue';
import { readStore, type StoreNow } from '@/data/store';
import { notFound, periodOf } from '../http';

/** For how long what people order counts where a flow has no goal. */
const USUAL_WINDOW = 'P14D';
/** How far back what they spent before is looked at. */
const BEFORE_MS = 90 * DAY;

const windowOf = (document: FlowDocument): string => document.goal?.within ?? USUAL_WINDOW;
/** After how many days so many more have come, of so many a day; null where none are needed, or none come. */
const daysUntil = (more: number | null, aDay: number): number | null => (more === null || aDay <= 0 ? null : Math.ceil(more / aDay));
const msOf = (duration: string, now: Instant, zone: string): number => addDuration(now, duration, zone) - now;

async function published(db: Db, key: string) {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const document = flow.version === null ? flow.draft : await readVersion(db, flow.id, flow.version);
  return { flow, document };
}

/** What a flow adds: revenue a person of who entered in a period against who was kept out, over its goal's window from their entry. */
export async function flowLift(db: Db, key: string, url: URL): Promise<FlowLiftView> {
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store);
  const { flow, document } = await published(db, key);
  return liftView(db, store, { id: flow.id, key, name: flow.name, document }, { from, to, model });
}

async function liftView(
  db: Db,
  store: StoreNow,
  flow: { id: number; key: string; name: string; document: FlowDocument },
  { from, to, model }: { from: Instant; to: Instant; model: string },
): Promise<FlowLiftView> {
  const { currency, now, zone } = store;
  const window = windowOf(flow.document);
  const windowMs = msOf(window, now, zone);
  const groups = await liftSums(db, { flowId: flow.id, from, to, now, windowMs, beforeMs: BEFORE_MS, currency });
  const [inside, outside] = ['in', 'out'].map((name) => groups.find(({ group }) => group === name) ?? NOBODY) as [GroupSums, GroupSums];
  const lift = liftOf(inside, outside);
  const [credited, perDay] = await Promise.all([
    creditOfFlow(db, { flowId: flow.id, from, to, model, currency }),
    entriesADay(db, flow.id, now),
  ]);
  const control = flow.document.control ?? 0;
  return {
    ...lift,
    flow: { key: flow.key, name: flow.name },
    control,
    currency,
    window: sayDuration(window),
    waiting: { in: inside.waiting, out: outside.waiting },
    credited,
    daysNeeded: daysUntil(lift.moreNeeded, (perDay * control) / 100),
    says: sayLift(lift, { currency, credited, window: sayDuration(window) }),
    method: `Net of discounts and refunds, from each person’s first entry in the period; what they spent in the 90 days before is taken out (CUPED). ${VERDICT_METHOD}`,
  };
}

/** The lift of every flow that keeps some out, in a period. */
export async function lifts(db: Db, url: URL): Promise<{ lifts: FlowLiftView[]; all: FlowLiftView | null }> {
  const store = await readStore(db);
  const period = periodOf(url, store);
  const flows = (await documentsNow(db)).filter(({ document }) => (document.control ?? 0) > 0);
  const views: FlowLiftView[] = [];
  for (const flow of flows) views.push(await liftView(db, store, flow, period));
  return { lifts: views, all: await storeLift(db, store, period.model) };
}

/** What all marketing adds: everybody who may get it against those who get none by lot, since the group is kept; null where none is. */
async function storeLift(db: Db, store: StoreNow, model: string): Promise<FlowLiftView | null> {
  const { currency, now, zone, limits } = store;
  const control = limits?.control;
  if (!control?.since) return null;
  const since = Date.parse(control.since);
  const isOut = (personId: string) => isKeptOut(personId, control);
  const [sums, credited] = await Promise.all([
    storeSums(db, { since, now, beforeMs: BEFORE_MS, currency, isOut }),
    creditOfFlow(db, { flowId: null, from: since, to: now, model, currency }),
  ]);
  const lift = liftOf(sums.in, sums.out);
  const window = sayDay(localDate(since, zone));
  return {
    ...lift,
    flow: null,
    control: control.share,
    currency,
    window,
    waiting: { in: 0, out: 0 },
    credited,
    daysNeeded: daysUntil(lift.moreNeeded, (sums.newADay * control.share) / 100),
    says: sayLift(lift, { currency, credited, window, of: 'all' }),
    method:
      'Everyone who has ever given or refused consent, from the day the control group began, or from when they became known. ' +
      `Net of discounts and refunds; what they spent in the 90 days before is taken out (CUPED). ${VERDICT_METHOD}`,
  };
}

interface FoundTest {
  readonly document: FlowDocument;
  readonly step: TestStep;
}

function testIn(document: FlowDocument, stepId: string): FoundTest | null {
  const step = stepsOf(document).find((one): one is TestStep => one.id === stepId && one.kind === 'test');
  return step ? { document, step } : null;
}

/** Finds a test that the published version no longer has, in the newest version that has it. */
async function testOfVersions(db: Db, flowId: number, stepId: string): Promise<FoundTest | null> {
  for (const { version } of await listVersions(db, flowId)) {
    const found = testIn(await readVersion(db, flowId, version), stepId);
    if (found) return found;
  }
  return null;
}

/** Reads a test of a flow from its beginning: the results of each variant, and the verdict by now. */
export async function testView(db: Db, key: string, stepId: string): Promise<TestView> {
  const store = await readStore(db);
  const { flow, document } = await published(db, key);
  const found = testIn(document, stepId) ?? (await testOfVersions(db, flow.id, stepId));
  if (!found) throw notFound(`test "${stepId.slice(0, 60)}" of flow "${key.slice(0, 60)}"`);
  return viewOf(db, store, { id: flow.id, key, name: flow.name, document: found.document }, found.step);
}

/** The metric of a test, in words. */
const METRICS: { readonly [metric in TestView['goes']]: string } = {
  goal: 'Judged by the share of people who reach the goal.',
  order: 'Judged by the share of people who order.',
  opened: 'Judged by the share of people who open.',
  clicked: 'Judged by the share of people who click.',
};

/** The counts that a test is judged by, and the verdict that it was decided by once it is. */
interface JudgedCounts {
  /** by variant; null if the test is judged by the goal within its window */
  readonly counts: ArmShares | null;
  readonly decided: VerdictRow | null;
}

async function countsOf(db: Db, flowId: number, step: TestStep, now: Instant): Promise<JudgedCounts> {
  const decided = decidedBy(await verdictsOf(db, flowId), step) ?? null;
  if (decided) return { counts: decided.counts, decided };
  const { trial } = step;
  return { counts: trial ? (await trialSoFar(db, flowId, { ...step, trial }, [], now)).shares : null, decided };
}

/** The verdict on a test: as it was decided, if it is, or else by its counts so far. */
function verdictOf(judged: TestVerdict, step: TestStep, decided: VerdictRow | null): TestVerdict {
  if (!decided) return judged;
  const { arm: ahead } = decided;
  const name = step.arms.find(({ id }) => id === ahead)?.name;
  const says = name === undefined ? 'No clear winner when the test ended.' : `“${name}” was the winner when the test ended.`;
  return { ...judged, ahead, moreNeeded: null, says: judged.ahead === ahead ? judged.says : says };
}

async function viewOf(
  db: Db,
  store: StoreNow,
  flow: { id: number; key: string; name: string; document: FlowDocument },
  step: TestStep,
): Promise<TestView> {
  const { now, zone, currency } = store;
  const window = windowOf(flow.document);
  const sums = await armSums(db, {
    flowId: flow.id,
    // from its beginning: each period would have a verdict of its own
    from: 0,
    to: now,
    now,
    windowMs: msOf(window, now, zone),
    beforeMs: BEFORE_MS,
    currency,
    arms: step.arms.map(({ id }) => id),
  });
  const metric = step.trial && step.trial.by !== 'goal' ? step.trial.by : flow.document.goal ? 'goal' : 'order';
  const { counts, decided } = await countsOf(db, flow.id, step, now);
  const sumsOf = (arm: string) => sums.find(({ group }) => group === arm) ?? NOBODY;
  const reached = (own: GroupSums): Share => ({ of: own.n, count: flow.document.goal ? own.goals : own.buyers });
  const arms = countedArms(step.arms, counts ?? Object.fromEntries(step.arms.map(({ id }) => [id, reached(sumsOf(id))])));
  // the size of a sample is set as it is sent
  const planned = step.decide?.people ?? (step.trial && Math.max(...arms.map(({ people }) => people)));
  const verdict = verdictOf(testVerdict(arms, planned), step, decided);
  const perDay = await entriesADay(db, flow.id, now);
  const all = arms.reduce((sum, { share }) => sum + share, 0);
  const least = Math.min(...arms.filter(({ share }) => share > 0).map(({ share }) => share)) / (all || 1);
  const drawnADay = perDay * (1 - (flow.document.control ?? 0) / 100) * (Number.isFinite(least) ? least : 0);
  return {
    flow: { key: flow.key, name: flow.name },
    step: step.id,
    name: step.name,
    currency,
    window: sayDuration(window),
    goes: metric,
    arms: arms.map(({ people, goals, ...arm }) => {
      const own = sumsOf(arm.id);
      const revenue = sampleOf(own.n, own.y, own.yy);
      const against = verdict.against.find(({ id }) => id === arm.id);
      return {
        ...arm,
        people,
        waiting: own.waiting,
        goals,
        rate: people ? { share: goals / people, ...shareInterval({ count: goals, of: people }) } : null,
        orders: own.orders,
        clickers: own.clickers,
        perPerson: own.n ? { minor: revenue.mean, ...meanInterval(revenue) } : null,
        chance: people >= FEWEST_PER_VARIANT ? (against?.chance ?? null) : null,
      };
    }),
    ahead: verdict.ahead,
    decidedAt: decided?.at.toISOString() ?? null,
    evenness: verdict.evenness,
    moreNeeded: verdict.moreNeeded,
    daysNeeded: daysUntil(verdict.moreNeeded, drawnADay),
    perDay,
    says: verdict.says,
    method: `${METRICS[metric]} ${VERDICT_METHOD}`,
  };
}

/** Every test of flows that are on or paused, with what can be said of it by now. */
export async function testViews(db: Db): Promise<TestsView> {
  const store = await readStore(db);
  const tests: TestView[] = [];
  for (const flow of await documentsNow(db)) {
    if (flow.state === 'draft') continue;
    const steps = stepsOf(flow.document).filter((step): step is TestStep => step.kind === 'test');
    for (const step of steps) tests.push(await viewOf(db, store, flow, step));
  }
  return { tests };
}
