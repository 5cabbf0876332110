import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { endRuns, openTwice } from '@/data/flows';

/**
 * After two people became one: of several runs that are inside a flow about the same cart or order one goes on, the one that
 * entered first, and none where one is through already; the others end, and say so. Those that are armed are judged when
 * their moment is there, as any other.
 */
export async function joinRuns(trx: Sql, personId: string, now: Instant): Promise<void> {
  const double = await openTwice(trx, personId);
  if (double.length) await endRuns(trx, personId, double, { merged: true }, now);
}
