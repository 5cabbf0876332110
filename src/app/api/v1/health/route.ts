import { livingWorkers } from '@/data/work';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';

/** Answers 200 when the database answers and a worker lives, else 503 with what is missing. */
export const GET = route(async ({ db }) => {
  let workers = 0;
  let database = 'ok';
  try {
    workers = await livingWorkers(db);
  } catch {
    database = 'does not answer';
  }
  const isWell = database === 'ok' && workers > 0;
  return json({ status: isWell ? 'ok' : 'failing', database, workers }, isWell ? 200 : 503);
}, 'anyone');
