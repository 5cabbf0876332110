import { addressOf } from '@/core/rules';
import { listInput, type GrowthView, type ListView } from '@/core/api';
import { DAY } from '@/core/time';
import { inTransaction, type Db } from '@/data/db';
import { archiveList, changeList, createList, findList, listGrowth, lockPeople, readLists, type ListRow } from '@/data/people';
import { readStore, recordAct } from '@/data/store';
import { askForList } from './confirm';
import { notFound, Problem, problemsOf } from '../http';
import { withFreeKey } from '../store';
import { listPeopleOn } from './edit';
import { person } from './who';

const viewOf = (row: ListRow): ListView => ({
  key: row.key,
  name: row.name,
  about: row.about,
  doubleOptIn: row.double_opt_in,
  confirmation: row.confirmation,
  people: row.people,
  waiting: row.waiting,
  createdAt: row.created_at.toISOString(),
  createdBy: row.created_by,
});

export async function lists(db: Db): Promise<{ lists: ListView[] }> {
  return { lists: (await readLists(db)).map(viewOf) };
}

async function list(db: Db, key: string): Promise<ListRow> {
  const row = await findList(db, key);
  if (!row || row.archived_at) throw notFound(`list "${key.slice(0, 60)}"`);
  return row;
}

export async function listView(db: Db, key: string): Promise<ListView> {
  return viewOf(await list(db, key));
}

export async function makeList(db: Db, body: unknown, by: string): Promise<ListView> {
  const parsed = listInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a list', 'Nothing was made.', problemsOf(parsed.error));
  const { now } = await readStore(db);
  return withFreeKey(
    parsed.data.name,
    'list',
    async (one) => (await findList(db, one)) !== null,
    async (key) => {
      await inTransaction(db, async (trx) => {
        await createList(trx, { key, ...parsed.data, by }, now);
        await recordAct(trx, now, by, 'list.made', { key });
      });
      return listView(db, key);
    },
  );
}

export async function editList(db: Db, key: string, body: unknown, by: string): Promise<ListView> {
  const parsed = listInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a list', 'Nothing was changed.', problemsOf(parsed.error));
  await list(db, key);
  await inTransaction(db, async (trx) => {
    await changeList(trx, key, parsed.data);
    await recordAct(trx, (await readStore(trx)).now, by, 'list.changed', { key });
  });
  return listView(db, key);
}

/** Puts a list away, or brings it back. Its people stay on it. */
export async function putAway(db: Db, key: string, isAway: boolean, by: string): Promise<void> {
  if (!(await findList(db, key))) throw notFound(`list "${key.slice(0, 60)}"`);
  const { now } = await readStore(db);
  await inTransaction(db, async (trx) => {
    await archiveList(trx, key, isAway ? now : null);
    await recordAct(trx, now, by, isAway ? 'list.archived' : 'list.restored', { key });
  });
}

/** How a list has grown over the last 90 days. */
export async function growth(db: Db, key: string): Promise<GrowthView> {
  const row = await list(db, key);
  const store = await readStore(db);
  return { days: await listGrowth(db, row.id, store.now - 89 * DAY, store.now, store.zone) };
}

/**
 * Puts one person on a list or takes them off. On a list with double opt-in, somebody who has not agreed to email is
 * asked by mail first. Answers with what happened.
 */
export async function membership(db: Db, id: string, key: string, isOn: boolean, by: string): Promise<{ state: 'on' | 'off' | 'asked' }> {
  const row = await person(db, id);
  const wanted = await list(db, key);
  if (isOn && wanted.double_opt_in) {
    const asked = await inTransaction(db, async (trx) => {
      const locked = (await lockPeople(trx, [row.id])).get(row.id);
      if (locked?.consents.get('email')?.state === 'given') return false;
      const email = locked && addressOf('email', locked.row.attributes);
      if (!email) throw new Problem(422, 'No address', 'This list asks for confirmation by mail, and there is no email address on file.');
      const store = await readStore(trx);
      await askForList(trx, wanted, email, store.name, store.now);
      return true;
    });
    if (asked) return { state: 'asked' };
  }
  await listPeopleOn(db, key, [row.id], isOn, `by ${by}`);
  return { state: isOn ? 'on' : 'off' };
}
