import { fork } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import { run as runJobs, Logger } from 'graphile-worker';
import { Pool } from 'pg';
import { connect, inTransaction, query, rowsOf } from '../src/data/db';
import { fill } from './due';
import { BATCH, tick } from '../src/server/flows';

/** 100,000 due runs, each at the end of its wait: against a bare loop of the same claims, updates and inserts, and against one library job a run. */
const RUNS = 100_000;
const url = process.env.VIATIC_DATABASE_URL!;
const db = connect(url, 6);
const DUE = rowsOf({ person_id: 'bigint', id: 'bigint' });

/** The same claims, updates and inserts with nothing decided. */
async function bareTick(): Promise<number> {
  return inTransaction(db, async (trx) => {
    const due = await query<{ person_id: string; id: string }>(
      trx,
      `with due as materialized (select person_id from runs where wake_at <= now() order by wake_at limit ${BATCH}), mine as materialized (select id
        from people where id in (select person_id from due) for no key update skip locked)
      select r.person_id, r.id from mine join runs r on r.person_id = mine.id where r.wake_at <= now() order by r.wake_at, r.id for update of r`,
    );
    if (!due.length) return 0;
    const rows = DUE.of(due);
    await query(trx, `select e.properties from events e where person_id = any(cast(:ids as bigint[]))`, {
      ids: due.map((row) => row.person_id),
    });
    await query(
      trx,
      `update runs t set phase = 'watching', step = null, outcome = 'completed', ended_at = now(), seq = 6, wait_until = null,
        wake_at = now() + interval '6 days', wakes_on = '{order.placed}' from ${DUE.sql} as r where t.person_id = r.person_id and t.id = r.id`,
      { rows },
    );
    await query(
      trx,
      `insert into traces (person_id, run_id, seq, at, version, step_id, kind) select person_id, id, seq, now(), 1, 'reminder', 'sending'
        from ${DUE.sql} as r, generate_series(4, 5) seq`,
      { rows },
    );
    await query(
      trx,
      `insert into sends (person_id, run_id, flow_id, version, step_id, visit, state, queued_at)
        select person_id, id, 1, 1, 'reminder', 1, 'queued', now() from ${DUE.sql} as r`,
      { rows },
    );
    // that the run is through is an event of the person
    await query(
      trx,
      `insert into events (person_id, type, time, source, event_id, properties, received_at)
        select person_id, 'flow.left', now(), 'viatic', 'bare/' || id, '{"flow":"cart-left-behind","outcome":"completed"}', now() from ${DUE.sql} as r`,
      { rows },
    );
    return due.length;
  });
}

async function time(work: () => Promise<void>): Promise<number> {
  const began = performance.now();
  await work();
  return RUNS / ((performance.now() - began) / 1000);
}
const all = (one: () => Promise<number>) => async () => {
  await Promise.all(
    [1, 2].map(async () => {
      while (await one());
    }),
  );
};

async function main(): Promise<void> {
  const say = (n: number) => Math.round(n).toLocaleString('en');
  await fill(db, RUNS);
  const bare = await time(all(bareTick));
  await fill(db, RUNS);
  const loop = await time(all(() => tick(db)));
  const [check] = await query<{ sends: number }>(db, 'select count(*)::int as sends from sends');
  if (check!.sends !== RUNS) throw new Error(`${check!.sends} sends`);

  // by one process of its own, then by two: a second worker finds other people than the first
  const byProcesses = async (count: number): Promise<number> => {
    await fill(db, RUNS);
    const workers = Array.from({ length: count }, () => fork(join(import.meta.dirname, 'ticks.ts'), [], { execArgv: process.execArgv }));
    await Promise.all(workers.map((worker) => once(worker, 'message')));
    const ends = workers.map((worker) => once(worker, 'exit'));
    return time(async () => {
      for (const worker of workers) worker.send('go');
      await Promise.all(ends);
    });
  };
  const [one, two] = [await byProcesses(1), await byProcesses(2)];

  // one library job a run: claimed, its run updated and traced, its send written, each in the library's usual way
  await fill(db, RUNS);
  const JOBS = 20_000;
  await query(db, `select graphile_worker.add_job('run', json_build_object('id', n)) from generate_series(1, ${JOBS}) n`);
  const pool = new Pool({ connectionString: url, max: 12 });
  const began = performance.now();
  let done = 0;
  const runner = await runJobs({
    pgPool: pool,
    concurrency: 10,
    noHandleSignals: true,
    pollInterval: 100,
    logger: new Logger(() => () => undefined),
    taskList: {
      run: async (payload, helpers) => {
        const { id } = payload as { id: number };
        await helpers.withPgClient(async (client) => {
          await client.query('begin');
          await client.query('select properties from events where person_id = $1', [id]);
          await client.query(
            `update runs set phase = 'watching', step = null, outcome = 'completed', seq = 6, wait_until = null, wake_at = now() + interval '6 days'
              where person_id = $1 and id = $1`,
            [id],
          );
          await client.query(
            `insert into traces (person_id, run_id, seq, at, version, step_id, kind) values ($1, $1, 4, now(), 1, 'reminder', 'sending'), ($1, $1, 5,
              now(), 1, 'reminder', 'completed')`,
            [id],
          );
          await client.query(
            `insert into sends (person_id, run_id, flow_id, version, step_id, visit, state, queued_at) values ($1, $1, 1, 1, 'reminder', 1, 'queued', now())`,
            [id],
          );
          await client.query('commit');
        });
        done += 1;
      },
    },
  });
  while (done < JOBS) await new Promise((resolve) => setTimeout(resolve, 5));
  const jobs = JOBS / ((performance.now() - began) / 1000);
  await runner.stop();
  await pool.end();
  console.log(
    `run loop: ${say(loop)} runs/s of ${RUNS.toLocaleString('en')} due; bare loop of the same statements ${say(bare)} runs/s, ratio ${(loop / bare).toFixed(2)}; one library job a run (${JOBS.toLocaleString('en')} of them) ${say(jobs)} runs/s, ratio ${(loop / jobs).toFixed(1)}; one process ${say(one)} runs/s, two ${say(two)} runs/s, ratio ${(two / one).toFixed(2)}`,
  );
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
