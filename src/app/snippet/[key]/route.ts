import { findSource } from '@/data/sources';
import { notFound } from '@/server/http';
import { route } from '@/server/door';
import { scriptAnswer, snippet } from '@/server/public';

export const dynamic = 'force-dynamic';
/** The page snippet of a source, as a script. */
export const GET = route(async ({ db, params }) => {
  const key = params.key!.replace(/\.js$/, '');
  const row = await findSource(db, key);
  if (!row || row.kind !== 'snippet' || row.revoked_at) throw notFound('snippet at this address');
  return scriptAnswer(snippet(key));
}, 'anyone');
