import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { loadInto } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  const loaded = await loadInto(db, params.key!, await readJson(request), caller.name);
  return written(loaded, { offer: params.key });
});
