import { EventEmitter } from 'node:events';
import { Logger, run, type Runner, type Task, type TaskList } from 'graphile-worker';
import { SpanKind } from '@opentelemetry/api';
import type { Pool } from 'pg';
import { traced } from '@/data/db';
import { dispatch, giveUp, sendLetter, type Dispatch } from '../messages';
import { changeOthers, makeCall, tellNote, writeTaskOf } from '../asks';
import { log } from '../base';
import { tellShop } from '../codes';
import { mailReport, type ReportJob } from '../reports';
import { doWork } from '../work';

/** Which jobs are carried out beside which: what somebody waits for, what flows send, and long work, each in places of its own. */
export const QUEUES = {
  urgent: { tasks: ['letter', 'dispatch_service'], atOnce: 2 },
  bulk: { tasks: ['dispatch'], atOnce: 3 },
  work: { tasks: ['work', 'report'], atOnce: 2 },
  asks: { tasks: ['call', 'task', 'note', 'others', 'code_hook'], atOnce: 8 },
} as const;

export interface Jobs {
  /** rejects when one of the queues has ended by itself, as after a database that was away for long */
  readonly ended: Promise<never>;
  stop(): Promise<void>;
}

/** Starts carrying jobs out; `onPool` hears the ids under which this process takes them. */
export async function startJobs(context: Dispatch, pool: Pool, onPool: (poolId: string) => void): Promise<Jobs> {
  const all = tasksOf(context);
  const runners: Runner[] = [];
  for (const { tasks, atOnce } of Object.values(QUEUES)) {
    const events = new EventEmitter();
    // jobs in hand are marked with the id of the pool that took them
    events.on('pool:create', ({ workerPool }: { workerPool: { id: string } }) => onPool(workerPool.id));
    runners.push(
      await run({
        pgPool: pool,
        concurrency: atOnce,
        noHandleSignals: true,
        pollInterval: 1000,
        events,
        logger: new Logger(() => (level, message) => {
          if (level === 'error' || level === 'warning') log.warn({ jobs: message.slice(0, 500) });
        }),
        taskList: Object.fromEntries(tasks.map((name) => [name, tracedTask(name, all[name]!)])),
      }),
    );
  }
  let isStopping = false;
  const ended = Promise.race(
    runners.map((runner) =>
      runner.promise.then(
        () => new Promise<void>(() => {}),
        (error: unknown) => {
          if (isStopping) return new Promise<void>(() => {});
          throw error;
        },
      ),
    ),
  ) as Promise<never>;
  ended.catch(() => {});
  return {
    ended,
    stop: async () => {
      isStopping = true;
      await Promise.allSettled(runners.map((runner) => runner.stop()));
    },
  };
}

/** A job as the beginning of a trace: what is done for it stands below. */
const tracedTask =
  (name: string, task: Task): Task =>
  (payload, helpers) =>
    traced(`job ${name}`, { kind: SpanKind.CONSUMER, attributes: { 'viatic.attempt': helpers.job.attempts } }, async () =>
      task(payload, helpers),
    );

/** What jobs there are, and what is done for each. */
export function tasksOf(context: Dispatch): TaskList {
  const sends =
    (isService: boolean): Task =>
    async (payload, helpers) => {
      const refs = (payload as { sends: [string, string][] }).sends.map(([personId, id]) => ({ personId, id, isService }));
      try {
        await dispatch(context, refs);
      } catch (error) {
        if (helpers.job.attempts >= helpers.job.max_attempts) await giveUp(context, refs, `gave up after ${helpers.job.attempts} attempts`);
        throw error;
      }
    };
  return {
    dispatch: sends(false),
    dispatch_service: sends(true),
    letter: async (payload, helpers) =>
      sendLetter(context, (payload as { id: string }).id, helpers.job.attempts >= helpers.job.max_attempts),
    call: async (payload) => makeCall(context, (payload as { id: string }).id),
    task: async (payload) => writeTaskOf(context.db, (payload as { id: string }).id),
    note: async (payload) => tellNote(context, (payload as { id: string }).id),
    others: async (payload) => changeOthers(context.db, (payload as { id: string }).id),
    code_hook: async (payload, helpers) =>
      tellShop(context.db, payload as { id: string; body: object }, context.inside ?? [], helpers.job.attempts >= helpers.job.max_attempts),
    report: async (payload) => mailReport(context, payload as ReportJob),
    work: async (payload) => doWork(context, (payload as { id: string }).id),
  };
}
