import { FLOW_DUE, isTimed, nextOccasion, occasionName, whoIsDue } from '@/core/flows';
import { inTransaction, isInTheWay, isOutage, type Db, type Sql } from '@/data/db';
import { claimOccasion, moveOccasion, noteTold, readVersion } from '@/data/flows';
import { lockPeople, peopleFor } from '@/data/people';
import { readStore } from '@/data/store';
import { log } from '../base';
import { recordFor } from '../ingest';

/** How many people one transaction tells. */
const BATCH = 500;

/**
 * Tells people whose time has come of the occasion that is due first, some hundreds in one transaction: an event of theirs, once
 * each, from which the run loop starts. Killed anywhere, it goes on where it was. Whether they are due is looked at as of the
 * occasion where time decides, and by what is on file now. Answers whether an occasion was due.
 */
export async function comeRound(db: Db): Promise<boolean> {
  try {
    return await inTransaction(db, tellNext);
  } catch (error) {
    if (isOutage(error) || isInTheWay(error)) throw error;
    // one that cannot be looked at keeps no other waiting: it is let pass
    return inTransaction(db, async (trx) => {
      const { now, zone } = await readStore(trx);
      const due = await claimOccasion(trx, now);
      if (!due) return false;
      log.error({ flow: due.key, trigger: due.trigger, error: (error as Error).message }, 'an occasion cannot be told and is let pass');
      const trigger = (await readVersion(trx, due.flow_id, due.version)).triggers.find(({ id }) => id === due.trigger);
      await moveOccasion(trx, due, trigger && isTimed(trigger) ? nextOccasion(trigger, Number(due.at_ms), due.zone || zone) : null);
      return true;
    });
  }
}

async function tellNext(trx: Sql): Promise<boolean> {
  const { now, zone: storeZone, world } = await readStore(trx);
  const due = await claimOccasion(trx, now);
  if (!due) return false;
  const zone = due.zone || storeZone;
  const document = await readVersion(trx, due.flow_id, due.version);
  const trigger = document.triggers.find(({ id }) => id === due.trigger);
  if (!trigger || !isTimed(trigger)) {
    await moveOccasion(trx, due, null);
    return true;
  }
  const at = Number(due.at_ms);
  const clocks = trigger.clocks === 'person' ? (due.zone ? { is: due.zone } : { isNone: due.zones }) : undefined;
  const ids = await peopleFor(trx, whoIsDue(trigger), { now: at, zone, world, clocks }, due.told_to, BATCH);
  if (!ids.length) {
    await moveOccasion(trx, due, nextOccasion(trigger, at, zone));
    return true;
  }
  const occasion = occasionName(at, trigger, zone);
  await recordFor(
    trx,
    [...(await lockPeople(trx, ids)).keys()].map((personId) => ({
      personId,
      type: FLOW_DUE,
      eventId: `${FLOW_DUE}/${due.key}/${trigger.id}/${occasion}/${personId}`,
      properties: { to: due.key, trigger: trigger.id, occasion },
      at,
    })),
  );
  await noteTold(trx, due, ids.at(-1)!);
  return true;
}
