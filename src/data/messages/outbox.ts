import type { Sql } from '../db';
import type { SendRef } from '../flows';
import { addJobs } from '../work';

/** How many sends one job carries out. */
const SENDS_PER_JOB = 50;

/** Adds the jobs that carry sends out, in the transaction that decided on them. Service messages, which somebody waits for, have a queue of their own. */
export async function queueDispatch(trx: Sql, sends: readonly SendRef[], { afterMs = 0 }: { afterMs?: number } = {}): Promise<void> {
  for (const isService of [true, false]) {
    const own = sends.filter((send) => (send.isService ?? false) === isService);
    const jobs: { sends: string[][] }[] = [];
    for (let i = 0; i < own.length; i += SENDS_PER_JOB)
      jobs.push({ sends: own.slice(i, i + SENDS_PER_JOB).map((send) => [send.personId, send.id]) });
    await addJobs(trx, isService ? 'dispatch_service' : 'dispatch', jobs, 15, afterMs);
  }
}
