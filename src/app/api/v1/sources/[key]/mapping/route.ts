import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { storeMapping } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) => {
  const source = await storeMapping(db, params.key!, await readJson(request), caller.name);
  return written(source, { key: source.key, version: source.mapping!.version });
});
