import { HOUR } from '@/core/time';
import { inTransaction, type Db } from '@/data/db';
import { computeRelations, relationsAt } from '@/data/letters';
import { readStore } from '@/data/store';

/** How old what is known of what is bought together may be. */
const HOLDS_MS = 6 * HOUR;

/** Computes anew what is bought together and what sells, when that is some hours old. Answers whether it was. */
export async function keepRelations(db: Db): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    // one worker at a time; the others find it done
    const [lock] = (
      await trx.raw<{ rows: { taken: boolean }[] }>(`select pg_try_advisory_xact_lock(hashtext('product relations')) as taken`)
    ).rows;
    if (!lock?.taken) return false;
    const { now } = await readStore(trx);
    const at = await relationsAt(trx);
    if (at !== null && now - at < HOLDS_MS) return false;
    await computeRelations(trx, now);
    return true;
  });
}
