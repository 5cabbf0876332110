import { Client, Pool } from 'pg';
import { connect } from '@/data/db';
import { makeEventMonths } from '@/data/events';
import { forgetOld } from '@/data/sources';
import { readStore } from '@/data/store';
import { enterWorker, leaveWorker, notePools, releaseGone } from '@/data/workers';
import { keepCatalogue } from './catalogue';
import { env } from './env';
import { startJobs } from './jobs';
import { log } from './log';
import { openMailer } from './mail';
import { BATCH, tick } from './runloop';

const IDLE_MS = 200;
const HOUSEKEEPING_MS = 15_000;
/** How soon what arrived shows in rates and catalogue. */
const FOLD_MS = 1000;

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

  const number = await enterWorker(alive);
  const release = async () => {
    for (const gone of await releaseGone(alive, number)) log.warn({ worker: gone }, 'a worker is gone; its jobs are given back');
  };
  await release();

  const mailer = openMailer(config.smtpUrl);
  const pools: string[] = [];
  const scope = config.databaseUrl;
  const runner = await startJobs({ db, scope, mailer, url: config.url, secret: config.secret }, pool, 3, (id) => {
    pools.push(id);
  });
  await notePools(alive, number, pools);

  const housekeeping = setInterval(() => {
    void release().catch((error: Error) => log.warn({ housekeeping: error.message }));
    void readStore(db).then((store) => Promise.all([makeEventMonths(db, store.now), forgetOld(db, store.now)])).catch((error: Error) => log.warn({ housekeeping: error.message }));
  }, HOUSEKEEPING_MS);

  let folds = 0;
  const folding = setInterval(() => {
    void keepCatalogue(db, ++folds % 300 === 0).catch((error: Error) => log.warn({ catalogue: error.message }));
  }, FOLD_MS);

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
    clearInterval(folding);
    await loop;
    await runner.stop();
    mailer.close();
    await leaveWorker(alive, number);
    await Promise.all([alive.end(), db.destroy(), pool.end()]);
    log.info('worker stopped');
  };
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => void stop().then(() => process.exit(0)));
  log.info({ worker: number }, 'worker ready');
  process.send?.('ready');
}

main().catch((error: Error) => {
  log.fatal({ worker: error.message });
  process.exit(1);
});

