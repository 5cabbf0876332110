import { advance, planOf, type FlowDocument, type RunningFlow } from '@/core/flows';
import { inTransaction, type Db } from '@/data/db';
import { loadFacts } from '@/data/facts';
import { flowsNow, readVersion } from '@/data/flows';
import { claimDue, earlierRuns, insertSends, saveRuns, toRun, type NewSend, type RunChange } from '@/data/runs';
import { readStore } from '@/data/store';
import { queueDispatch } from './dispatch';

/** How many due runs one transaction takes. */
export const BATCH = 500;

/**
 * Claims a batch of due runs, moves each as far as it goes, and stores state, trace and effects in one transaction,
 * together with the jobs that carry the effects out. Killed anywhere, nothing of the batch has happened.
 * Answers with the number of runs moved; 0 when nothing was due (or all of it was in other hands).
 */
export async function tick(db: Db, scope: string, limit = BATCH): Promise<number> {
  const store = await readStore(db);
  return inTransaction(db, async (trx) => {
    const now = store.now;
    const due = await claimDue(trx, now, limit);
    if (!due.length) return 0;

    const flowIds = [...new Set(due.map((row) => row.flow_id))];
    const flows = await flowsNow(trx, flowIds);
    const running = new Map<string, RunningFlow>();
    const needs = new Set<string>();
    const versionOf = (row: (typeof due)[number]) => (row.phase === 'armed' ? (flows.get(row.flow_id)?.version ?? row.version) : row.version);
    for (const row of due) {
      const version = versionOf(row);
      const id = `${row.flow_id}/${version}`;
      if (running.has(id)) continue;
      const document = await readVersion(trx, scope, row.flow_id, version);
      running.set(id, { document, isOn: flows.get(row.flow_id)?.state === 'on', zone: store.zone, currency: store.currency });
      for (const type of planOf(document).needs) needs.add(type);
    }
    const facts = await loadFacts(trx, [...new Set(due.map((row) => row.person_id))], [...needs]);
    const armed = due.filter((row) => row.phase === 'armed');
    const earlier = await earlierRuns(trx, armed.map((row) => ({ personId: row.person_id, flowId: row.flow_id, key: null })));

    const changes: RunChange[] = [];
    const sends: NewSend[] = [];
    for (const row of due) {
      const version = versionOf(row);
      const flow = running.get(`${row.flow_id}/${version}`)!;
      const others = earlier.get(`${row.person_id}/${row.flow_id}`);
      const result = advance(flow, toRun(row), facts.get(row.person_id)!, now, others?.filter((run) => run.id !== row.id) ?? []);
      // what this run has become is what the person's next run of the batch looks at
      const own = others?.findIndex((run) => run.id === row.id) ?? -1;
      if (own >= 0) others![own] = { id: row.id, key: result.run.key, phase: result.run.phase, outcome: result.run.outcome };
      changes.push({
        run: result.run, version, now, wakeAt: result.wake.at, wakesOn: result.wake.on, trace: result.trace,
        arms: result.trace.flatMap((entry) => entry.armId ?? []),
      });
      for (const effect of result.effects) sends.push({ run: result.run, flowId: row.flow_id, version, effect, at: now, isService: isService(flow.document, effect.stepId) });
    }
    await saveRuns(trx, changes);
    await queueDispatch(trx, await insertSends(trx, sends));
    return due.length;
  });
}

function isService(document: FlowDocument, stepId: string): boolean {
  const step = planOf(document).steps.get(stepId);
  return step?.kind === 'send' && step.message.kind === 'service';
}

/** Moves everything that is due, batch after batch. */
export async function drain(db: Db, scope: string): Promise<number> {
  let moved = 0;
  for (;;) {
    const count = await tick(db, scope);
    if (!count) return moved;
    moved += count;
  }
}
