import { run, type Runner, type TaskList } from 'graphile-worker';
import type { Pool } from 'pg';
import { dispatch, giveUp, type Dispatch } from './dispatch';
import { sendLetter } from './letters';
import { log } from './log';
import { doWork } from './work/work';

/** Starts carrying jobs out; `onPool` hears the id under which this process takes them. */
export async function startJobs(context: Dispatch, pool: Pool, concurrency: number, onPool: (poolId: string) => void): Promise<Runner> {
  const { EventEmitter } = await import('node:events');
  const { Logger } = await import('graphile-worker');
  const events = new EventEmitter();
  // jobs in hand are marked with the id of the pool that took them
  events.on('pool:create', ({ workerPool }: { workerPool: { id: string } }) => onPool(workerPool.id));
  return run({
    pgPool: pool,
    concurrency,
    noHandleSignals: true,
    pollInterval: 1000,
    events,
    logger: new Logger(() => (level, message) => {
      if (level === 'error' || level === 'warning') log.warn({ jobs: message.slice(0, 500) });
    }),
    taskList: tasksOf(context),
  });
}

/** What jobs there are, and what is done for each. */
export function tasksOf(context: Dispatch): TaskList {
  return {
    dispatch: async (payload, helpers) => {
      const refs = (payload as { sends: [string, string][] }).sends.map(([personId, id]) => ({ personId, id }));
      try {
        await dispatch(context, refs);
      } catch (error) {
        if (helpers.job.attempts >= helpers.job.max_attempts) await giveUp(context.db, refs, `gave up after ${helpers.job.attempts} attempts`);
        throw error;
      }
    },
    letter: async (payload, helpers) => sendLetter(context, (payload as { id: string }).id, helpers.job.attempts >= helpers.job.max_attempts),
    work: async (payload) => doWork(context, (payload as { id: string }).id),
  };
}
