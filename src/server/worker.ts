import { Client, Pool } from 'pg';
import { connect } from '@/data/db';
import { makeEventMonths } from '@/data/events';
import { readStore } from '@/data/store';
import { env } from './env';
import { startJobs } from './jobs';
import { log } from './log';
import { openMailer } from './mail';
import { BATCH, tick } from './runloop';

const IDLE_MS = 200;
const HOUSEKEEPING_MS = 15_000;
/** First half of the advisory locks by which workers show that they live. */
const ALIVE = 7445;

/**
 * The worker program: moves due runs and carries jobs out. Any number of them can run. On SIGTERM or SIGINT it
 * finishes the batch and the jobs in hand. Killed hard, its claims end with its connections, and the jobs it held
 * are given back by whichever worker notices that its advisory lock is free.
 */
async function main(): Promise<void> {
  const config = env();
  const db = connect(config.databaseUrl, 8);
  const pool = new Pool({ connectionString: config.databaseUrl, max: 6 });
  pool.on('error', (error) => log.warn({ pool: error.message }));
  pool.on('connect', (client) => client.on('error', (error) => log.warn({ connection: error.message })));
  const alive = new Client({ connectionString: config.databaseUrl });
  await alive.connect();
  let isStopping = false;
  alive.on('error', (error) => {
    log.error({ lost: error.message });
    process.exit(1);
  });

  const number = Number((await alive.query<{ number: string }>('insert into workers default values returning number')).rows[0]!.number);
  await alive.query('select pg_advisory_lock($1, $2)', [ALIVE, number]);
  await releaseDead(alive, number);

  const mailer = openMailer(config.smtpUrl);
  const pools: string[] = [];
  const scope = config.databaseUrl;
  const runner = await startJobs({ db, scope, mailer, url: config.url, secret: config.secret }, pool, 3, (id) => {
    pools.push(id);
  });
  await alive.query('update workers set job_pools = $2 where number = $1', [number, pools]);

  const housekeeping = setInterval(() => {
    void releaseDead(alive, number).catch((error: Error) => log.warn({ housekeeping: error.message }));
    void readStore(db).then((store) => makeEventMonths(db, store.now)).catch((error: Error) => log.warn({ housekeeping: error.message }));
  }, HOUSEKEEPING_MS);

  const loop = (async () => {
    while (!isStopping) {
      let moved = 0;
      try {
        moved = await tick(db, scope);
      } catch (error) {
        log.error({ tick: (error as Error).message });
        await new Promise((resolve) => setTimeout(resolve, 1000));
      }
      // a full batch means that more is due
      if (moved < BATCH) await new Promise((resolve) => setTimeout(resolve, IDLE_MS));
    }
  })();

  const stop = async () => {
    if (isStopping) return;
    isStopping = true;
    clearInterval(housekeeping);
    await loop;
    await runner.stop();
    mailer.close();
    await alive.query('delete from workers where number = $1', [number]);
    await Promise.all([alive.end(), db.destroy(), pool.end()]);
    log.info('worker stopped');
  };
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => void stop().then(() => process.exit(0)));
  log.info({ worker: number }, 'worker ready');
  process.send?.('ready');
}

/** Gives back the jobs of workers that are gone: their advisory lock is free. */
async function releaseDead(alive: Client, own: number): Promise<void> {
  const { rows } = await alive.query<{ number: string }>(
    `select number from workers where number <> $1 and pg_try_advisory_lock($2, number::int)`,
    [own, ALIVE],
  );
  for (const row of rows) {
    await alive.query('delete from workers where number = $1', [row.number]);
    await alive.query('select pg_advisory_unlock($1, $2)', [ALIVE, Number(row.number)]);
    log.warn({ worker: Number(row.number) }, 'a worker is gone');
  }
  // jobs in the hands of nobody who lives; a job carried out twice is harmless, for each send is held while it goes out
  const freed = await alive.query<{ pool: string }>(
    `select distinct locked_by as pool from graphile_worker.jobs where locked_by is not null
       and locked_by not in (select unnest(job_pools) from workers) and (locked_at < now() - interval '10 seconds' or $1)`,
    [rows.length > 0],
  );
  if (freed.rows.length) await alive.query('select graphile_worker.force_unlock_workers($1)', [freed.rows.map((row) => row.pool)]);
}

main().catch((error: Error) => {
  log.fatal({ worker: error.message });
  process.exit(1);
});

