import { inTransaction, type Db } from '@/data/db';
import { letGo, queueDispatch } from '@/data/messages';
import { readStore } from '@/data/store';
import { tellCodes } from '../codes';
import { lookAtPeople } from '../segments';
import { tellChanges } from './heard';
import { comeRound } from './occasions';
import { tellProducts } from './products';

/** How many runs one transaction takes that are due, and how many sends that are kept back. */
export const BATCH = 500;

/** Lets sends go that were kept back up to now. Answers with how many. */
export async function releaseKept(db: Db): Promise<number> {
  return inTransaction(db, async (trx) => {
    const sends = await letGo(trx, (await readStore(trx)).now, BATCH);
    await queueDispatch(trx, sends);
    return sends.length;
  });
}

/**
 * Who is in which segment, whose time has come, what has changed: it is known before runs move, which look at it. Each answers with
 * how much it has done, a full batch where there may be more, 0 where nothing was to be done.
 */
export const BEFORE_RUNS: readonly (readonly [string, (db: Db) => Promise<number>])[] = [
  ['looking', lookAtPeople],
  ['occasion', async (db) => ((await comeRound(db)) ? BATCH : 0)],
  ['changes', tellChanges],
  ['codes', tellCodes],
  ['products', async (db) => ((await tellProducts(db)) ? BATCH : 0)],
  ['kept', releaseKept],
];
