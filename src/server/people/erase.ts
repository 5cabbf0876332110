import { erase, everything, lockPeople } from '@/data/people';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { person } from './who';

/** Erases a person who is locked with the transaction; who asked is written down, not who was erased. */
export async function erasePerson(trx: Sql, personId: string, by: string): Promise<void> {
  const { now } = await readStore(trx);
  await lockPeople(trx, [personId]);
  await erase(trx, personId, new Date(now));
  await recordAct(trx, now, by, 'person.erased', { person: personId });
}

/** Erases a person on their request. */
export async function eraseById(db: Db, id: string, by: string): Promise<void> {
  const row = await person(db, id);
  await inTransaction(db, (trx) => erasePerson(trx, row.id, by));
}

/** Everything on file about one person. */
export async function allAbout(db: Db, id: string): Promise<Record<string, unknown[]>> {
  const row = await person(db, id);
  return everything(db, row.id);
}
