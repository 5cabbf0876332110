import { json, route } from '@/server/door';
import { health } from '@/server/metrics';

export const dynamic = 'force-dynamic';

/** Returns 200 if the store is healthy, else 503 with what is wrong. */
export const GET = route(async ({ db }) => {
  const found = await health(db);
  return json(found, found.status === 'ok' ? 200 : 503);
}, 'anyone');
