import { ATTRIBUTE_CHANGED, changeTold, flowBehind } from '@/core/flows';
import { inTransaction, type Db } from '@/data/db';
import { takeChanges } from '@/data/flows';
import { lockPeople } from '@/data/people';
import { recordFor } from '../ingest';

/** How many changes one transaction tells. */
const BATCH = 500;

/**
 * Tells of attributes that have changed, where flows start by it: an event of the person for each, at the moment of the change,
 * from which the run loop starts. Which door the change came by does not matter: the database has noted it. Answers with how
 * many were told.
 */
export async function tellChanges(db: Db): Promise<number> {
  return inTransaction(db, async (trx) => {
    const changes = await takeChanges(trx, BATCH);
    if (!changes.length) return 0;
    const there = await lockPeople(trx, [...new Set(changes.map((one) => one.person_id))]);
    await recordFor(
      trx,
      changes.flatMap((one) => {
        const flow = flowBehind(one.cause);
        const told = there.has(one.person_id) ? changeTold(one, flow === undefined ? undefined : { flow, hops: one.hops }) : null;
        return told
          ? [{ personId: one.person_id, ...told, eventId: `${ATTRIBUTE_CHANGED}/${one.id}`, at: Math.trunc(Number(one.at_ms)) }]
          : [];
      }),
    );
    return changes.length;
  });
}
