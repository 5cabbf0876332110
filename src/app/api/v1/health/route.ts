import { findStuckLoop, livingWorkers } from '@/data/work';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';

/** Returns 200 if the database answers, a worker is alive and the run loop finishes what it claims, else 503 with what is wrong. */
export const GET = route(async ({ db }) => {
  let workers = 0;
  let database = 'ok';
  let runLoop = 'ok';
  try {
    workers = await livingWorkers(db);
    runLoop = (await findStuckLoop(db)) ? 'claims runs and does not finish' : 'ok';
  } catch {
    database = 'does not answer';
  }
  const isWell = database === 'ok' && workers > 0 && runLoop === 'ok';
  return json({ status: isWell ? 'ok' : 'failing', database, workers, runLoop }, isWell ? 200 : 503);
}, 'anyone');
