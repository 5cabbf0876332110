import { whoConcerns } from '@/core/flows';
import { changeName, changeOfProductTold } from '@/core/products';
import { inTransaction, isInTheWay, isOutage, type Db, type Sql } from '@/data/db';
import { readVersion } from '@/data/flows';
import { lockPeople, peopleFor } from '@/data/people';
import { claimTelling, noteTelling } from '@/data/products';
import { readStore } from '@/data/store';
import { log } from '../base';
import { recordFor } from '../ingest';

/** How many people one transaction tells. */
const BATCH = 500;

/**
 * Tells people whom a product concerns that it is there again, or costs something else: an event of theirs, once each, from which
 * the run loop starts. Some hundreds in one transaction; killed anywhere, it goes on where it was. Answers with how many were told,
 * at least one where anything was to be done.
 */
export async function tellProducts(db: Db): Promise<number> {
  try {
    return await inTransaction(db, tellNext);
  } catch (error) {
    if (isOutage(error) || isInTheWay(error)) throw error;
    return inTransaction(db, async (trx) => {
      const telling = await claimTelling(trx);
      if (!telling) return 0;
      log.error(
        { flow: telling.key, trigger: telling.trigger, error: (error as Error).message },
        'a product cannot be told of and is let pass',
      );
      await noteTelling(trx, telling, null);
      return 1;
    });
  }
}

async function tellNext(trx: Sql): Promise<number> {
  const telling = await claimTelling(trx);
  if (!telling) return 0;
  const { key, version, change } = telling;
  const trigger = (await readVersion(trx, telling.flow_id, version)).triggers.find(({ id }) => id === telling.trigger);
  const { zone, world } = await readStore(trx);
  const ids =
    trigger?.kind === 'product'
      ? await peopleFor(trx, whoConcerns(trigger, change.product), { now: change.at, zone, world }, telling.told_to, BATCH)
      : [];
  if (!ids.length) {
    await noteTelling(trx, telling, null);
    return 1;
  }
  const name = changeName(change);
  const told = { ...changeOfProductTold(change), to: key, trigger: telling.trigger, change: name };
  await recordFor(
    trx,
    [...(await lockPeople(trx, ids)).keys()].map((personId) => ({
      personId,
      type: change.type,
      eventId: `${change.type}/${key}/${telling.trigger}/${name}/${personId}`,
      properties: told,
      at: change.at,
    })),
  );
  await noteTelling(trx, telling, ids.at(-1)!);
  return ids.length;
}
