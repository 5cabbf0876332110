import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { changeSource, sourceDetail } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await sourceDetail(db, params.key!)));
export const PATCH = route(async ({ db, params, request, caller }) => {
  const changed = await changeSource(db, params.key!, await readJson(request), caller);
  return written(changed, { key: changed.source.key, shownOnce: changed.shownOnce });
});
