import { goalEndsBy, keepArm, stepsOf, type FlowDocument, type TestStep } from '@/core/flows';
import { highest } from '@/core/stats';
import type { Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import {
  armShares,
  documentsNow,
  listVersions,
  lockFlow,
  noteVerdict,
  publishDraft,
  readVersion,
  replaceDraft,
  setHeard,
  setOccasions,
  verdictsOf,
  type FlowRow,
} from '@/data/flows';
import { readStore, recordAct } from '@/data/store';

const testsOf = (document: FlowDocument): TestStep[] =>
  stepsOf(document).filter((step): step is TestStep => step.kind === 'test' && step.decide !== undefined);

/**
 * Ends tests that decide by themselves: once so many people have taken each arm whose time for the goal is over, the arm with the
 * surely higher share of them becomes a version of the flow without the test; whoever is inside stays on theirs. Each test is looked
 * at once (a fixed horizon), so that it is not called different by being looked at often. Answers with how many were decided.
 */
export async function decideTests(db: Db): Promise<number> {
  let decided = 0;
  for (const { key, state, document } of await documentsNow(db))
    if (state === 'on' && document.goal && testsOf(document).length) decided += await inTransaction(db, (trx) => decideIn(trx, key));
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
    if (!document.goal || verdicts.some((one) => one.step_id === step.id && one.test === form)) continue;
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
    const best = highest(arms.map(({ id }) => counts[id]!));
    const arm = best === null ? null : arms[best]!;
    await noteVerdict(trx, { flowId: flow.id, step, at: store.now, arm: arm?.id ?? null, counts });
    await recordAct(trx, store.now, `test “${step.name}”`, 'test.decided', { key, step: step.id, arm: arm?.id ?? null });
    decided += 1;
    if (!arm) continue;
    // what has been changed in the draft meanwhile stays there, without the test
    draft = keepArm(draft, step.id, arm.id);
    document = keepArm(document, step.id, arm.id);
    const by = `test “${step.name}”`;
    newest = await publishDraft(trx, { ...flow, draft: document, version: newest }, by, store.now);
    await replaceDraft(trx, flow.id, draft, store.now);
    await setOccasions(trx, flow.id, document, store.now, store.zone);
    await setHeard(trx, flow.id, document);
    await recordAct(trx, store.now, by, 'flow.published', { key, version: newest });
  }
  return decided;
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
