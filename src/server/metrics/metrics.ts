import { Gauge, Registry } from 'prom-client';
import type { Db } from '@/data/db';
import { loadNow } from '@/data/metrics';
import { readStore } from '@/data/store';
import { findStuckLoop, livingWorkers } from '@/data/work';

/**
 * How the store is doing, in the text format of Prometheus: what waits, what is late, what failed. It is read from the database as it
 * is asked for, so it is the same whichever web process answers.
 */
export async function metrics(db: Db): Promise<{ text: string; type: string }> {
  const { now } = await readStore(db);
  const [load, workers, stuck] = await Promise.all([loadNow(db, now), livingWorkers(db), findStuckLoop(db)]);
  const register = new Registry();
  const gauge = (name: string, help: string, labelNames: string[] = []) =>
    new Gauge({ name: `viatic_${name}`, help, labelNames, registers: [register] });
  gauge('workers', 'Workers that show that they live').set(workers);
  gauge('run_loop_failures', 'Failures in a row of a run loop that claims runs and does not finish').set(stuck?.failures ?? 0);
  const waiting = gauge('jobs_waiting', 'Jobs that wait to be carried out', ['task']);
  const failed = gauge('jobs_failed', 'Jobs that were given up', ['task']);
  for (const { task, ...of } of load.jobs) {
    waiting.set({ task }, of.waiting);
    failed.set({ task }, of.failed);
  }
  gauge('runs_due', 'Runs of flows that are due').set(load.dueRuns);
  gauge('runs_due_seconds', 'For how long the first of them has been due').set(load.dueFor);
  gauge('runs_set_aside', 'Runs that broke and are tried again').set(load.brokenRuns);
  gauge('messages_queued', 'Messages that wait to be handed over').set(load.queued);
  const sends = gauge('messages_last_hour', 'Messages of the last hour by what became of them', ['state']);
  for (const { state, count } of load.sends) sends.set({ state }, count);
  const events = gauge('events_last_hour', 'Events of the last hour', ['became']);
  events.set({ became: 'taken' }, load.taken);
  events.set({ became: 'refused' }, load.refused);
  if (load.differences !== null) gauge('ledger_differences', 'What the last check of the ledger has found').set(load.differences);
  gauge('ledger_days_stale', 'Days whose sums are made anew').set(load.staleDays);
  return { text: await register.metrics(), type: register.contentType };
}
