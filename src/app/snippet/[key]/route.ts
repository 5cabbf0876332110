import { findSource } from '@/data/sources';
import { notFound } from '@/server/http';
import { route } from '@/server/door';
import { snippet } from '@/server/public';

export const dynamic = 'force-dynamic';
/** The page snippet of a source, as a script. */
export const GET = route(async ({ db, params }) => {
  const key = params.key!.replace(/\.js$/, '');
  const row = await findSource(db, key);
  if (!row || row.kind !== 'snippet' || row.revoked_at) throw notFound('snippet at this address');
  return new Response(snippet(key), {
    headers: {
      'content-type': 'text/javascript; charset=utf-8',
      'cache-control': 'public, max-age=300',
      'cross-origin-resource-policy': 'cross-origin',
    },
  });
}, 'anyone');
