import * as z from 'zod';
import { bulkConsentInput, type BulkAct } from '@/core/api';
import { fitAttribute, MOST_ATTRIBUTES, MOST_NAMES } from '@/core/people';
import { addressOf, type Rule, type Value } from '@/core/rules';
import { isName } from '@/core/text';
import {
  filterToSql,
  findAttribute,
  findList,
  liftSuppression,
  listAttributeRows,
  lockPeople,
  savePeople,
  suppressAll,
  type PersonRow,
} from '@/data/people';
import { addTag, changesOf, chooseInto, nextChosen, noteProgress, noteWas, removeTag, type WorkRow } from '@/data/work';
import { nameCause } from '@/data/rules';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { changeConsent, erasePerson, filterOf, listPeopleOn, readTag, startMany } from '../people';
import type { Dispatch } from '../messages';
import { Problem, problemsOf } from '../http';
import { startWork, Stopped, type Finished, type Report } from './start';

const value = z.union([z.string().max(2000), z.number(), z.boolean(), z.null(), z.array(z.string().max(500)).max(100)]);
export const bulkActSchema = z.discriminatedUnion('act', [
  z.strictObject({ act: z.enum(['tag', 'untag']), tag: z.string() }),
  z.strictObject({ act: z.enum(['list', 'unlist']), list: z.string().max(60) }),
  bulkConsentInput.extend({ act: z.literal('consent') }),
  z.strictObject({ act: z.literal('set'), name: z.string().refine(isName, 'is not an attribute name'), value }),
  z.strictObject({ act: z.literal('suppress') }),
  z.strictObject({ act: z.literal('start'), flow: z.string().max(60) }),
  z.strictObject({ act: z.literal('erase') }),
]);
const bodySchema = z.strictObject({
  do: bulkActSchema,
  who: z.string().max(200_000),
  /** how many the asker has seen */ count: z.int().min(1),
});

export function sayAct(act: BulkAct): string {
  switch (act.act) {
    case 'tag':
      return `Tag “${act.tag}”`;
    case 'untag':
      return `Take the tag “${act.tag}” off`;
    case 'list':
      return `Add to the list ${act.list}`;
    case 'unlist':
      return `Take off the list ${act.list}`;
    case 'consent':
      return `Consent to ${act.channel} ${act.state}`;
    case 'set':
      return act.value === null ? `Take ${act.name} away` : `Set ${act.name}`;
    case 'suppress':
      return 'Never write to them again';
    case 'start':
      return `Start the flow ${act.flow}`;
    case 'erase':
      return 'Erase';
  }
}

/**
 * Puts a bulk act in for everybody who matches an address of the people table at this moment. Refused when it would
 * touch another number of people than the asker has seen.
 */
export async function startBulk(db: Db, body: unknown, by: string): Promise<string> {
  const parsed = bodySchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an act', 'Nothing was done.', problemsOf(parsed.error));
  const { do: act, who, count } = parsed.data;
  if (act.act === 'tag' || act.act === 'untag') readTag(act.tag);
  const store = await readStore(db);
  if (act.act === 'set' && act.name === 'email')
    throw new Problem(422, 'Not for many', 'An email address belongs to one person.', [
      { field: 'do.name', wrong: 'is the email address', right: 'another attribute' },
    ]);
  const { filter } = filterOf(new URLSearchParams(who), store);
  return inTransaction(db, async (trx) => {
    if (act.act === 'list' || act.act === 'unlist') {
      const list = await findList(trx, act.list);
      if (!list || list.archived_at)
        throw new Problem(422, 'No such list', 'Nothing was done.', [
          { field: 'do.list', wrong: 'is not a list on file', right: 'the key of a list' },
        ]);
    }
    const id = await startWork(db, { kind: 'bulk', name: sayAct(act as BulkAct), detail: { act }, by }, trx);
    const found = await chooseInto(trx, id, filterToSql(filter));
    if (found !== count)
      throw new Problem(
        409,
        'Others by now',
        `This would now touch ${found.toLocaleString('en')} people and not ${count.toLocaleString('en')}. Look again, then ask again.`,
      );
    await noteProgress(trx, id, { total: found });
    return id;
  });
}

/** Puts everybody into a flow for whom a rule holds at this moment, as long work. Answers with its number and how many they are. */
export async function startMatching(db: Db, flow: string, rule: Rule, by: string): Promise<{ id: string; people: number } | null> {
  const store = await readStore(db);
  const { filter } = filterOf(new URLSearchParams({ rule: JSON.stringify(rule) }), store);
  const act: BulkAct = { act: 'start', flow };
  return inTransaction(db, async (trx) => {
    const id = await startWork(db, { kind: 'bulk', name: sayAct(act), detail: { act }, by }, trx);
    const people = await chooseInto(trx, id, filterToSql(filter));
    await noteProgress(trx, id, { total: people });
    return { id, people };
  });
}

const BATCH = 500;

/** Acts that cannot be taken back, as what had been done by the time they were cancelled. */
const LASTING: { readonly [act in BulkAct['act']]?: readonly [one: string, many: string] } = {
  erase: ['was erased', 'were erased'],
  start: ['had been put into it', 'had been put into it'],
};

/** Does a bulk act, batch by batch, noting of each person what was before. Cancelled, it takes back what it has done. */
export async function runBulk(context: Dispatch, work: WorkRow, report: Report): Promise<Finished> {
  const { act } = work.detail as { act: BulkAct };
  const { db } = context;
  let after = '0';
  let done = 0;
  let changed = 0;
  try {
    for (;;) {
      const ids = await nextChosen(db, work.id, after, BATCH);
      if (!ids.length) break;
      after = ids.at(-1)!;
      changed += await inTransaction(db, (trx) => doBatch(context, trx, work, act, ids));
      done += ids.length;
      await report({ done });
    }
  } catch (error) {
    const lasting = LASTING[act.act];
    if (lasting)
      throw error instanceof Stopped
        ? new Stopped(
            `Cancelled. ${done.toLocaleString('en')} ${done === 1 ? 'person' : 'people'} ${lasting[done === 1 ? 0 : 1]} by then; the others are as they were.`,
          )
        : error;
    await takeBack(context, work, act);
    throw error;
  }
  const store = await readStore(db);
  await recordAct(db, store.now, work.by, 'bulk.done', { work: work.id, act: act.act, people: done });
  return { says: `${sayAct(act)}: done.`, result: { people: done, changed, canUndo: !LASTING[act.act] } };
}

/** Does one batch; answers with how many people it changed. */
async function doBatch(context: Dispatch, trx: Sql, work: WorkRow, act: BulkAct, ids: readonly string[]): Promise<number> {
  const { db } = context;
  const store = await readStore(trx);
  const at = new Date(store.now);
  await nameCause(trx, `act ${work.id} of ${work.by}`);
  const note = (changed: readonly string[]) =>
    noteWas(
      trx,
      work.id,
      changed.map((personId) => ({ personId, was: { changed: true } })),
    );
  switch (act.act) {
    case 'tag':
    case 'untag': {
      const changed = act.act === 'tag' ? await addTag(trx, ids, act.tag.trim(), work.by, at) : await removeTag(trx, ids, act.tag.trim());
      await note(changed);
      return changed.length;
    }
    case 'list':
    case 'unlist': {
      const changed = await listPeopleOn(db, act.list, ids, act.act === 'list', `by ${work.by}`, trx);
      await note(changed);
      return changed.length;
    }
    case 'consent': {
      const locked = await lockPeople(trx, ids);
      const changed = [...locked].filter(([, person]) => person.consents.get(act.channel)?.state !== act.state);
      await noteWas(
        trx,
        work.id,
        changed.map(([personId, person]) => ({ personId, was: { changed: true, state: person.consents.get(act.channel)?.state ?? null } })),
      );
      for (const [personId] of changed)
        await changeConsent(db, personId, { channels: { [act.channel]: act.state }, detail: { how: act.how, actor: work.by } }, trx);
      return changed.length;
    }
    case 'set': {
      const record = await findAttribute(trx, act.name);
      const wanted = act.value !== null && record?.is_declared ? fitAttribute(record.type, act.value) : act.value;
      if (wanted === undefined) throw new Problem(422, 'Does not fit', `${act.name} is a ${record!.type}; “${String(act.value)}” is none.`);
      const locked = await lockPeople(trx, ids);
      if (wanted !== null && !record && (await listAttributeRows(trx)).length >= MOST_NAMES)
        throw new Problem(
          422,
          'Too many names',
          `There are ${MOST_NAMES.toLocaleString('en')} names of attributes already, as many as there may be; ${act.name} would be another.`,
        );
      // whoever has as many as a person may have gets no other
      const changed = [...locked].filter(
        ([, { row }]) =>
          JSON.stringify(row.attributes[act.name] ?? null) !== JSON.stringify(wanted) &&
          (wanted === null || act.name in row.attributes || Object.keys(row.attributes).length < MOST_ATTRIBUTES),
      );
      await noteWas(
        trx,
        work.id,
        changed.map(([personId, { row }]) => ({
          personId,
          was: { changed: true, value: row.attributes[act.name] ?? null, at: row.stamped[act.name] ?? null },
        })),
      );
      await writeAttribute(
        trx,
        changed.map(([, person]) => person),
        act.name,
        () => ({ value: wanted, at: store.now }),
      );
      return changed.length;
    }
    case 'suppress': {
      const locked = await lockPeople(trx, ids);
      const addresses = [...locked].flatMap(([personId, { row }]) => {
        const address = addressOf('email', row.attributes);
        return address ? [{ personId, address }] : [];
      });
      // who stood on the list before stays on it when the act is undone
      const added = new Set(
        await suppressAll(
          trx,
          'email',
          addresses.map((one) => one.address),
          'by hand',
          store.now,
          { by: work.by, note: `act ${work.id}` },
        ),
      );
      const changed = addresses.filter((one) => added.has(one.address));
      await noteWas(
        trx,
        work.id,
        changed.map(({ personId, address }) => ({ personId, was: { changed: true, address } })),
      );
      return changed.length;
    }
    case 'start':
      return startMany(trx, [...(await lockPeople(trx, ids)).keys()], act.flow, `act ${work.id}`, work.by);
    case 'erase': {
      for (const id of ids) await erasePerson(trx, id, work.by);
      return ids.length;
    }
  }
}

async function writeAttribute(
  trx: Sql,
  people: readonly { row: PersonRow }[],
  name: string,
  to: (id: string) => { value: Value; at: number | null },
): Promise<void> {
  await savePeople(
    trx,
    people.map(({ row }) => {
      const { value: wanted, at } = to(row.id);
      const { [name]: _, ...rest } = row.attributes;
      const { [name]: __, ...stamps } = row.stamped;
      return {
        id: row.id,
        isNew: false,
        externalId: row.external_id,
        externalAt: row.external_at?.getTime() ?? null,
        isKnown: row.is_known,
        firstSeen: row.created_at.getTime(),
        lastSeen: row.seen_at.getTime(),
        profile: {
          attributes: wanted === null ? rest : { ...rest, [name]: wanted },
          stamped: at === null ? stamps : { ...stamps, [name]: at },
        },
      };
    }),
  );
}

/** Takes a bulk act back for everybody it changed. Answers with how many. */
async function takeBack(context: Dispatch, work: WorkRow, act: BulkAct): Promise<number> {
  const { db } = context;
  let after = '0';
  let count = 0;
  for (;;) {
    const rows = await changesOf(db, work.id, after, BATCH);
    if (!rows.length) return count;
    after = rows.at(-1)!.person_id;
    const changed = rows.filter((row) => row.was.changed === true);
    const ids = changed.map((row) => row.person_id);
    const was = new Map(changed.map((row) => [row.person_id, row.was]));
    count += ids.length;
    await inTransaction(db, async (trx) => {
      const store = await readStore(trx);
      await nameCause(trx, `act ${work.id} of ${work.by} undone`);
      switch (act.act) {
        case 'tag':
          await removeTag(trx, ids, act.tag.trim());
          break;
        case 'untag':
          await addTag(trx, ids, act.tag.trim(), work.by, new Date(store.now));
          break;
        case 'list':
          await listPeopleOn(db, act.list, ids, false, `act of ${work.by} undone`, trx);
          break;
        case 'unlist':
          await listPeopleOn(db, act.list, ids, true, `act of ${work.by} undone`, trx);
          break;
        case 'consent':
          for (const id of ids) {
            const before = was.get(id)!.state as 'given' | 'withdrawn' | null;
            await changeConsent(
              db,
              id,
              { channels: { [act.channel]: before ?? 'withdrawn' }, detail: { how: 'bulk act undone', actor: work.by } },
              trx,
            );
          }
          break;
        case 'set': {
          const locked = await lockPeople(trx, ids);
          await writeAttribute(trx, [...locked.values()], act.name, (id) => ({
            value: (was.get(id)!.value as Value) ?? null,
            at: (was.get(id)!.at as number | null) ?? null,
          }));
          break;
        }
        case 'suppress':
          for (const row of changed) await liftSuppression(trx, 'email', String(row.was.address), ['by hand']);
          break;
        // they are not undone
        case 'start':
        case 'erase':
          break;
      }
    });
  }
}

export async function undoBulk(context: Dispatch, work: WorkRow, by: string): Promise<Finished> {
  const { act } = work.detail as { act: BulkAct };
  if (act.act === 'erase') throw new Problem(409, 'Cannot be undone', 'People who were erased are gone.');
  const people = await takeBack(context, work, act);
  await recordAct(context.db, (await readStore(context.db)).now, by, 'bulk.undone', { work: work.id });
  return { says: `${sayAct(act)}: undone for ${people.toLocaleString('en')}.`, result: { undone: { people } } };
}
