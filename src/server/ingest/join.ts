import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { doubledRuns, effectName, type Reentry } from '@/core/flows';
import { FLOW_LEFT } from '@/core/rules';
import { endRuns, openRuns, readVersion } from '@/data/flows';
import type { OwnEvent } from './ingest';

/**
 * Ends the runs that two people who became one have twice. Runs that are armed are judged when they are due, like any other. Returns the
 * events that this causes, for the caller to record.
 */
export async function joinRuns(trx: Sql, personId: string, now: Instant): Promise<OwnEvent[]> {
  const runs = await openRuns(trx, personId);
  const reentries = new Map<number, Reentry>();
  for (const { flowId, version } of runs) reentries.set(flowId, (await readVersion(trx, flowId, version)).reentry);
  const doubled = doubledRuns(runs, (flowId) => reentries.get(flowId)!).map(({ id }) => id);
  return doubled.length ? endedBefore(personId, await endRuns(trx, personId, doubled, { merged: true }, now), now) : [];
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
