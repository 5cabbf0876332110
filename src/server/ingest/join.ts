import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { effectName } from '@/core/flows';
import { FLOW_LEFT } from '@/core/rules';
import { endRuns, openTwice } from '@/data/flows';
import type { OwnEvent } from './ingest';

/**
 * After two people became one: of several runs that are inside a flow about the same cart or order one goes on, the one that
 * entered first, and none where one is through already; the others end, and say so. Those that are armed are judged when
 * their moment is there, as any other. Answers with what that tells: for the caller to record.
 */
export async function joinRuns(trx: Sql, personId: string, now: Instant): Promise<OwnEvent[]> {
  const double = await openTwice(trx, personId);
  return double.length ? endedBefore(personId, await endRuns(trx, personId, double, { merged: true }, now), now) : [];
}

/** That somebody has come out of flows before their end, as the engine tells it. */
export const endedBefore = (personId: string, runs: Awaited<ReturnType<typeof endRuns>>, at: Instant): OwnEvent[] =>
  runs
    .filter(({ was }) => was === 'inside')
    .map(({ id, flow, trigger, key }) => ({
      personId,
      type: FLOW_LEFT,
      eventId: effectName(id, { stepId: FLOW_LEFT, visit: 1 }),
      properties: { flow, run: id, trigger, ...(key && { key }), outcome: 'left', byFlow: flow, hops: 1 },
      at,
    }));
