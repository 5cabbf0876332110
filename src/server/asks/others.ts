import { changeOf, effectName, hopsOf, planOf, UPDATED_BY } from '@/core/flows';
import { valueAt, withChange, type Facts } from '@/core/rules';
import { rowKeyOf } from '@/core/tables';
import { aboutAsk, askRow, closeAsk, lockOthersAsked } from '@/data/asks';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readVersion } from '@/data/flows';
import { lockPeople, peopleWith } from '@/data/people';
import { loadFacts } from '@/data/rules';
import { readStore } from '@/data/store';
import { addJobs } from '@/data/work';
import { storeChanges, type FlowChange } from '../flows';
import { recordFor, type OwnEvent } from '../ingest';

/** How many that a step has asked for are carried out together: whoever they are about is looked for once. */
const TOGETHER = 200;

/**
 * Changes what is on file about others of the same household, account or whatever an attribute of theirs names: as a flow has
 * changed it for one of them. All that a step has asked for and is open is done at once; the others are locked like anybody.
 */
export async function changeOthers(db: Db, id: string): Promise<void> {
  const ask = await askRow(db, id);
  if (!ask || ask.kind !== 'others' || ask.state !== 'open') return;
  const isMore = await inTransaction(db, (trx) => changeTogether(trx, ask));
  if (isMore) await addJobs(db, 'others', [{ id }], 15);
}

async function changeTogether(trx: Sql, asked: { flow_id: number; version: number; step_id: string }): Promise<boolean> {
  const step = planOf(await readVersion(trx, asked.flow_id, asked.version)).steps.get(asked.step_id);
  const asks = await lockOthersAsked(trx, asked, TOGETHER);
  const { now } = await readStore(trx);
  const close = (id: string, error: string | null, note: string | null) =>
    closeAsk(trx, id, { state: error === null ? 'done' : 'failed', at: now, by: null, note, error });
  if (step?.kind !== 'update' || !step.others) {
    for (const { id } of asks) await close(id, 'its step is gone', null);
    return false;
  }
  const { by, most } = step.others;
  const known = new Map<string, NonNullable<Awaited<ReturnType<typeof aboutAsk>>>>();
  for (const ask of asks) {
    const about = await aboutAsk(trx, ask);
    if (about) known.set(ask.id, about);
  }
  const valueOf = (id: string) => rowKeyOf(valueAt(known.get(id)?.attributes ?? {}, by));
  const values = [...new Set(asks.flatMap(({ id }) => valueOf(id) ?? []))];
  const found = values.length ? await peopleWith(trx, by, values) : new Map<string, string[]>();
  const othersOf = (ask: { id: string; person_id: string }) =>
    (found.get(valueOf(ask.id) ?? '') ?? []).filter((one) => one !== ask.person_id).slice(0, most);
  const all = [...new Set(asks.flatMap(othersOf))].sort((a, b) => Number(BigInt(a) - BigInt(b)));
  await lockPeople(trx, all);
  const facts = new Map<string, Facts>(await loadFacts(trx, new Map(all.map((one) => [one, { events: [] }])), { lists: true, tags: true }));
  const changes: FlowChange[] = [];
  const events: OwnEvent[] = [];
  for (const ask of asks) {
    const about = known.get(ask.id);
    const others = about ? othersOf(ask) : [];
    const { flow } = ask.about;
    for (const personId of others)
      for (const [index, update] of step.changes.entries()) {
        const own = facts.get(personId);
        const source = { now, about: { data: about!.about ?? {} }, view: { answers: about!.answers ?? {} } };
        const change = own && changeOf(update, own, source);
        if (!own || !change) continue;
        facts.set(personId, { ...own, ...withChange(own, { ...change, at: now }) });
        changes.push({ personId, flow, change: { ...change, at: now }, hops: hopsOf(about!.about ?? {}) });
        if (change.kind !== 'list') continue;
        events.push({
          personId,
          type: change.is === null ? 'list.left' : 'list.joined',
          eventId: `${effectName(ask.run_id, { stepId: ask.step_id, visit: ask.visit })}/${index}/${personId}`,
          properties: { list: change.name, how: `${UPDATED_BY}${flow}` },
          at: now,
        });
      }
    await close(ask.id, about ? null : 'its person is gone', String(others.length));
  }
  await storeChanges(trx, changes, now);
  await recordFor(trx, events);
  return asks.length === TOGETHER;
}
