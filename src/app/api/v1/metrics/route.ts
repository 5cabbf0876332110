import { route } from '@/server/door';
import { metrics } from '@/server/metrics';

export const dynamic = 'force-dynamic';
/** How the store is doing, in the text format of Prometheus; for a key that may read. */
export const GET = route(async ({ db }) => {
  const { text, type } = await metrics(db);
  return new Response(text, { headers: { 'content-type': type, 'cache-control': 'no-store' } });
});
