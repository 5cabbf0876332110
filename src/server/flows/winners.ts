import * as z from 'zod';
import { changeStep, goalEndsBy, keepArm, stepsOf, type FlowDocument, type TestStep, type Trial } from '@/core/flows';
import { countedArms, testVerdict } from '@/core/revenue';
import { addDuration, type Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import {
  armShares,
  documentsNow,
  insideBy,
  listVersions,
  lockFlow,
  moveRuns,
  noteVerdict,
  publishDraft,
  readVersion,
  replaceDraft,
  setHeard,
  setOccasions,
  trialSoFar,
  verdictOn,
  verdictsOf,
  type FlowRow,
} from '@/data/flows';
import { readStore, recordAct, type StoreNow } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';

const trialsOf = (document: FlowDocument): (TestStep & { trial: Trial })[] =>
  stepsOf(document).filter(
    (step): step is TestStep & { trial: Trial } => step.kind === 'test' && step.trial !== undefined && step.won === undefined,
  );
const testsOf = (document: FlowDocument): TestStep[] =>
  stepsOf(document).filter((step): step is TestStep => step.kind === 'test' && step.decide !== undefined);

/**
 * Ends tests that decide by themselves: once so many people have taken each arm whose time for the goal is over, the arm with the
 * winner becomes a version of the flow without the test; people in the flow stay on their version. The verdict is that of the tests
 * page: it holds at any time, and is most powerful at the number of people that was set. Returns how many were decided.
 */
export async function decideTests(db: Db): Promise<number> {
  let decided = 0;
  for (const { key, state, document } of await documentsNow(db)) {
    if (state !== 'on') continue;
    if (document.goal && testsOf(document).length) decided += await inTransaction(db, (trx) => decideIn(trx, key));
    if (trialsOf(document).length) decided += await inTransaction(db, (trx) => endTrialsOf(trx, key));
  }
  return decided;
}

async function decideIn(trx: Sql, key: string): Promise<number> {
  const flow = await lockFlow(trx, key);
  if (flow?.state !== 'on' || flow.version === null) return 0;
  const store = await readStore(trx);
  let document = await readVersion(trx, flow.id, flow.version);
  const verdicts = await verdictsOf(trx, flow.id);
  let draft = flow.draft;
  let newest = flow.version;
  let decided = 0;
  for (const step of testsOf(document)) {
    const form = JSON.stringify(step);
    if (!document.goal || verdictOn(verdicts, step)) continue;
    const since = await standsSince(trx, flow, step.id, form);
    const over = goalEndsBy(document.goal, store.now, store.zone);
    if (since === null || over <= since) continue;
    const arms = step.arms.filter(({ share }) => share !== 0);
    const counts = await armShares(
      trx,
      flow.id,
      arms.map(({ id }) => id),
      since,
      over,
    );
    if (arms.some(({ id }) => counts[id]!.of < step.decide!.people)) continue;
    const { ahead } = testVerdict(countedArms(arms, counts), step.decide!.people);
    const arm = arms.find(({ id }) => id === ahead) ?? null;
    await noteVerdict(trx, { flowId: flow.id, step, at: store.now, arm: arm?.id ?? null, counts });
    await recordAct(trx, store.now, `test “${step.name}”`, 'test.decided', { key, step: step.id, arm: arm?.id ?? null });
    decided += 1;
    if (!arm) continue;
    ({ draft, document, newest } = await publishKept(
      trx,
      flow,
      { draft, document, newest },
      step.id,
      arm.id,
      `test “${step.name}”`,
      store,
    ));
  }
  return decided;
}

/**
 * Ends sample tests of a flow that are over: once everyone in the sample has had their time, or nobody in it could be reached, everyone
 * else gets the winner, or without one the variant with the highest share, if the test is set so; otherwise someone has to choose.
 * Returns how many ended.
 */
async function endTrialsOf(trx: Sql, key: string): Promise<number> {
  const flow = await lockFlow(trx, key);
  if (flow?.state !== 'on' || flow.version === null) return 0;
  const store = await readStore(trx);
  const document = await readVersion(trx, flow.id, flow.version);
  const verdicts = await verdictsOf(trx, flow.id);
  for (const step of trialsOf(document)) {
    if (verdictOn(verdicts, step)) continue;
    const at = document.steps.findIndex(({ id }) => id === step.id);
    const before = at < 0 ? [] : document.steps.slice(0, at).map(({ id }) => id);
    const tried = await trialSoFar(trx, flow.id, step, before, store.now);
    if (tried.isToCome || (tried.lastAt === null && !tried.waiting)) continue;
    if (tried.lastAt !== null && addDuration(tried.lastAt, step.trial.lasts, store.zone) > store.now) continue;
    const arms = step.arms.filter(({ share }) => share !== 0);
    const shares = arms.map(({ id }) => tried.shares[id]!);
    // the size of a sample is set as it is sent, so it is the plan
    const { ahead } = testVerdict(countedArms(arms, tried.shares), Math.max(...shares.map(({ of }) => of)));
    const first = shares.reduce((top, one, index) => (one.of && one.count / one.of > shareOf(shares[top]!) ? index : top), 0);
    const arm = arms.find(({ id }) => id === ahead) ?? (step.trial.unsure === 'highest' ? arms[first]! : null);
    await noteVerdict(trx, { flowId: flow.id, step, at: store.now, arm: ahead, counts: tried.shares });
    const by = `test “${step.name}”`;
    await recordAct(trx, store.now, by, 'test.decided', { key, step: step.id, arm: arm?.id ?? null });
    if (arm) await publishKept(trx, flow, { draft: flow.draft, document, newest: flow.version }, step.id, arm.id, by, store);
    // another trial of the same flow is looked at the next time, by the version that is on then
    return 1;
  }
  return 0;
}

const shareOf = ({ of, count }: { of: number; count: number }): number => (of ? count / of : 0);

/** A document with a test decided: the others of a trial get the arm; any other test is gone, and the arm stands in its place. */
function withKept(document: FlowDocument, stepId: string, armId: string, now: Instant): FlowDocument {
  const isTrial = stepsOf(document).some((step) => step.id === stepId && step.kind === 'test' && step.trial);
  if (!isTrial) return keepArm(document, stepId, armId);
  return changeStep(document, stepId, (step) =>
    step.kind === 'test' && step.arms.some(({ id }) => id === armId)
      ? { ...step, won: { arm: armId, at: new Date(now).toISOString() } }
      : step,
  );
}

interface Kept {
  readonly draft: FlowDocument;
  readonly document: FlowDocument;
  readonly newest: number;
}

/** Publishes a flow with one arm of a test in place of the test. What has been changed in the draft meanwhile stays there, without the test. */
async function publishKept(
  trx: Sql,
  flow: FlowRow,
  { draft, document, newest }: Kept,
  stepId: string,
  armId: string,
  by: string,
  { now, zone }: Pick<StoreNow, 'now' | 'zone'>,
): Promise<Kept> {
  const kept = { draft: withKept(draft, stepId, armId, now), document: withKept(document, stepId, armId, now) };
  const version = await publishDraft(trx, { ...flow, draft: kept.document, version: newest }, by, now);
  await replaceDraft(trx, flow.id, kept.draft, now);
  await setOccasions(trx, flow.id, kept.document, now, zone);
  await setHeard(trx, flow.id, kept.document);
  // whoever waited for it takes that arm
  const waiting = stepsOf(kept.document).some(({ id }) => id === stepId)
    ? (await insideBy(trx, flow.id)).filter(({ step }) => step === stepId)
    : [];
  const moved = await moveRuns(
    trx,
    flow.id,
    version,
    waiting.map(({ version: of }) => ({ version: of, was: stepId, step: stepId, isSame: true })),
    now,
  );
  await recordAct(trx, now, by, 'flow.published', { key: flow.key, version, ...(moved && { moved }) });
  return { ...kept, newest: version };
}

const keepInput = z.strictObject({ arm: z.string().min(1).max(80) });

/** Ends a test by hand: the flow is published with one of its arms in place of it; whoever is inside stays on theirs. Answers with the version. */
export async function keepTestArm(db: Db, key: string, stepId: string, body: unknown, by: string): Promise<{ version: number }> {
  const parsed = keepInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an arm', 'Nothing was published.', problemsOf(parsed.error));
  const { arm: armId } = parsed.data;
  return inTransaction(db, async (trx) => {
    const flow = await lockFlow(trx, key.slice(0, 80));
    if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
    if (flow.version === null) throw new Problem(409, 'Not published', 'A flow that was never published tests nothing yet.');
    const store = await readStore(trx);
    const document = await readVersion(trx, flow.id, flow.version);
    const step = stepsOf(document).find((one): one is TestStep => one.id === stepId && one.kind === 'test');
    if (!step) throw notFound(`test "${stepId.slice(0, 60)}" in the version that is on`);
    const arm = step.arms.find(({ id }) => id === armId);
    if (!arm)
      throw new Problem(422, 'Not an arm', 'Nothing was published.', [
        { field: 'arm', wrong: 'is no arm of this test', right: step.arms.map(({ id }) => id).join(' or ') },
      ]);
    const { newest } = await publishKept(trx, flow, { draft: flow.draft, document, newest: flow.version }, stepId, armId, by, store);
    await recordAct(trx, store.now, by, 'test.decided', { key, step: stepId, arm: armId });
    return { version: newest };
  });
}

/** Since when a test has been in the flow in this very form; null where that cannot be told. */
async function standsSince(trx: Sql, flow: FlowRow, stepId: string, form: string): Promise<Instant | null> {
  let since: Instant | null = null;
  for (const { version, at } of await listVersions(trx, flow.id)) {
    const step = stepsOf(await readVersion(trx, flow.id, version)).find(({ id }) => id === stepId);
    if (JSON.stringify(step) !== form) break;
    since = at.getTime();
  }
  return since;
}
