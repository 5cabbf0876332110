import { Client, Pool } from 'pg';
import { forgetSessions } from '@/data/access';
import { connect, isOutage, type Db } from '@/data/db';
import { makeEventMonths } from '@/data/sources';
import { readStore } from '@/data/store';
import { enterWorker, leaveWorker, livingWorkers, notePools, releaseGone } from '@/data/work';
import { keepCatalogue } from '../sources';
import { allHandedOver, byAddress, openGateway, openMailer, openTraffic, openWebPush, type Mailer } from '../messages';
import { env, log, startTraces, type Env } from '../base';
import { startJobs } from './jobs';
import { tellTeam } from '../comments';
import { keepRelations, readFeeds } from '../letters';
import { readProductFeeds } from '../products';
import { sendDueReports } from '../reports';
import { checkNightly, goOnRebuilding, keepPredictions, keepSums } from '../revenue';
import { forget } from '../store';
import { BATCH, BEFORE_RUNS, decideTests, isDue, tick, watchLoop } from '../flows';

const IDLE_MS = 200;
const HOUSEKEEPING_MS = 15_000;
const FEEDS_MS = 3_000;
/** How soon what arrived shows in rates and catalogue. */
const FOLD_MS = 1000;
const SHORTEST_PAUSE_MS = 250;
const LONGEST_PAUSE_MS = 10_000;

const pause = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms));

/** A worker at work: one connection shows that it lives, the jobs are carried out while it stands. */
interface Shift {
  /** rejects when the connection or the jobs have broken down */
  readonly broken: Promise<never>;
  /** stops what is in hand in good order */
  end(): Promise<void>;
}

/** Ends the shift in hand as broken. */
let breakOff: (error: unknown) => void = () => {};
/** How long what is in hand may take to come to its end before another shift begins. */
const LONGEST_END_MS = 60_000;

/** Connections for the jobs of one shift: after a break the library may keep some of them for ever. */
function openPool(url: string): Pool {
  const pool = new Pool({ connectionString: url, max: 12, connectionTimeoutMillis: 20_000, application_name: 'viatic jobs' });
  pool.on('error', (error) => log.warn({ pool: error.message }));
  pool.on('connect', (client) => client.on('error', (error) => log.warn({ connection: error.message })));
  return pool;
}

/** Enters the worker under a number of its own and starts carrying jobs out. */
async function startShift(
  config: Env,
  db: Db,
  mailers: { bulk: Mailer; urgent: Mailer },
  traffic: ReturnType<typeof openTraffic>,
  count: () => Promise<void>,
): Promise<Shift> {
  const alive = new Client({
    connectionString: config.sessionDatabaseUrl,
    application_name: 'viatic worker',
    keepAlive: true,
    connectionTimeoutMillis: 10_000,
  });
  let fail: (error: unknown) => void = () => {};
  const lost = new Promise<never>((_, reject) => (fail = reject));
  lost.catch(() => {});
  breakOff = fail;
  alive.on('error', (error) => fail(error));
  const pool = openPool(config.sessionDatabaseUrl);
  const close = () => void pool.end().catch(() => {});
  alive.on('end', () => fail(new Error('the connection that shows that the worker lives has ended')));
  let isOver = false;
  try {
    await alive.connect();
    const number = await enterWorker(alive);
    const release = async () => {
      for (const gone of await releaseGone(alive, number)) log.warn({ worker: gone }, 'a worker is gone; its jobs are given back');
    };
    await release();
    await count();
    const pools: string[] = [];
    const jobs = await startJobs(
      {
        db,
        mailer: mailers.bulk,
        urgentMailer: mailers.urgent,
        url: config.url,
        secret: config.secret,
        inside: config.inside,
        gateways: {
          sms: openGateway(config.smsUrl, config.textHookSecret, 'SMS'),
          push: byAddress(openWebPush(config.vapid, config.inside), openGateway(config.pushUrl, config.textHookSecret, 'push')),
        },
        worker: () => number,
        traffic,
      },
      pool,
      (id) => {
        pools.push(id);
      },
    );
    await notePools(alive, number, pools);
    const watch = setInterval(
      () =>
        void release()
          .then(count)
          .catch((error: Error) => (isOver ? undefined : fail(error))),
      HOUSEKEEPING_MS,
    );
    log.info({ worker: number }, 'worker ready');
    return {
      broken: Promise.race([lost, jobs.ended]),
      end: async () => {
        isOver = true;
        clearInterval(watch);
        await Promise.race([jobs.stop().then(allHandedOver), pause(LONGEST_END_MS)]);
        close();
        await leaveWorker(alive, number).catch(() => {});
        await alive.end().catch(() => {});
      },
    };
  } catch (error) {
    close();
    await alive.end().catch(() => {});
    throw error;
  }
}

/**
 * The worker program: moves due runs and carries jobs out. Any number of them can run. On SIGTERM or SIGINT it
 * finishes the batch and the jobs in hand. Killed hard, its claims end with its connections, and the jobs it held
 * are given back by whichever worker notices that its advisory lock is free. A database that goes away and comes back
 * finds it waiting: it begins anew under another number, with longer pauses between tries. The run loop, the jobs and
 * the housekeeping have connections of their own, so that none keeps the others from theirs.
 */
async function main(): Promise<void> {
  const config = env();
  const endTraces = await startTraces('worker');
  const [loopDb, jobsDb, homeDb] = [3, 8, 2].map((size) => connect(config.databaseUrl, size, { prepares: !config.isPooled })) as [
    Db,
    Db,
    Db,
  ];
  const { dkim } = config;
  const mailers = { bulk: openMailer(config.smtpUrl, { dkim }), urgent: openMailer(config.smtpUrl, { connections: 2, dkim }) };
  let workers = 1;
  const traffic = openTraffic({ ...config.mailPace, workers: () => workers });
  let isStopping = false;
  let pauseMs = SHORTEST_PAUSE_MS;
  let wake: () => void = () => {};
  const stopped = new Promise<void>((resolve) => (wake = resolve));

  const housekeeping = setInterval(() => {
    void readStore(homeDb)
      .then((store) =>
        Promise.all([
          makeEventMonths(homeDb, store.now),
          forget(homeDb),
          forgetSessions(homeDb),
          decideTests(homeDb),
          readProductFeeds(homeDb, config.inside),
          keepRelations(homeDb),
          sendDueReports(homeDb),
          tellTeam(homeDb, config.url),
          goOnRebuilding(homeDb)
            .then(() => keepSums(homeDb))
            .then(() => checkNightly(homeDb))
            .then(() => keepPredictions(homeDb)),
        ]),
      )
      .catch((error: Error) => log.warn({ housekeeping: error.message }));
  }, HOUSEKEEPING_MS);
  // an occasion may wait for one of them
  let isReading = false;
  const reading = setInterval(() => {
    if (isReading) return;
    isReading = true;
    void readFeeds(homeDb, config.inside)
      .catch((error: Error) => log.warn({ feeds: error.message }))
      .finally(() => (isReading = false));
  }, FEEDS_MS);
  let folds = 0;
  let isFolding = false;
  const folding = setInterval(() => {
    if (isFolding) return;
    isFolding = true;
    void keepCatalogue(homeDb, ++folds % 300 === 0)
      .catch((error: Error) => log.warn({ catalogue: error.message }))
      .finally(() => (isFolding = false));
  }, FOLD_MS);

  const watch = watchLoop(homeDb);
  const loop = (async () => {
    let restMs = SHORTEST_PAUSE_MS;
    while (!isStopping) {
      let moved = 0;
      try {
        // one question where nothing is due, as it is most of the time
        await watch.pass(async () => {
          if (!(await isDue(loopDb))) return;
          // what is to be looked at and told before runs move: one that fails keeps no other from its turn
          let before = 0;
          for (const [name, work] of BEFORE_RUNS)
            before = Math.max(
              before,
              await work(loopDb).catch((error: unknown) => {
                if (isOutage(error)) throw error;
                log.error({ [name]: (error as Error).message });
                return 0;
              }),
            );
          moved = Math.max(before, await tick(loopDb));
        });
        restMs = SHORTEST_PAUSE_MS;
      } catch (error) {
        log.error({ tick: (error as Error).message });
        await Promise.race([pause(isOutage(error) ? restMs : 1000), stopped]);
        restMs = Math.min(LONGEST_PAUSE_MS, restMs * 2);
      }
      // a full batch means that more is due
      if (moved < BATCH) await Promise.race([pause(IDLE_MS), stopped]);
    }
  })();

  const shifts = (async () => {
    while (!isStopping) {
      let shift: Shift | null = null;
      try {
        shift = await startShift(config, jobsDb, mailers, traffic, async () => {
          workers = await livingWorkers(jobsDb);
        });
        process.send?.('ready');
        pauseMs = SHORTEST_PAUSE_MS;
        await Promise.race([shift.broken, stopped]);
      } catch (error) {
        log.error({ lost: (error as Error).message }, 'the worker begins anew');
      }
      // what is in hand comes to its end first, or another shift would take it up beside this one
      await shift?.end();
      if (isStopping) return;
      await Promise.race([pause(pauseMs), stopped]);
      pauseMs = Math.min(LONGEST_PAUSE_MS, pauseMs * 2);
    }
  })();

  const stop = async () => {
    if (isStopping) return;
    isStopping = true;
    wake();
    clearInterval(housekeeping);
    clearInterval(folding);
    clearInterval(reading);
    watch.stop();
    await Promise.all([loop, shifts]);
    for (const mailer of Object.values(mailers)) mailer.close();
    await Promise.all([loopDb.destroy(), jobsDb.destroy(), homeDb.destroy()]);
    await endTraces();
    log.info('worker stopped');
  };
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => void stop().then(() => process.exit(0)));
}

// The library drops a promise when the database fails just as it notes what became of a job: that job would stay in the
// hands of a worker that lives. With another shift, under another number, it is given back.
process.on('unhandledRejection', (error) => {
  if (!isOutage(error)) throw error;
  log.warn({ dropped: (error as Error).message });
  breakOff(error);
});

main().catch((error: Error) => {
  log.fatal({ worker: error.message });
  process.exit(1);
});
