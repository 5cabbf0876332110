import { readJson } from '@/server/http';
import { done, route, written } from '@/server/door';
import { dropGroup, storeGroup } from '@/server/places';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await storeGroup(db, params.key!, await readJson(request), caller.name), { key: params.key }),
);
export const DELETE = route(async ({ db, params, caller }) => {
  await dropGroup(db, params.key!, caller.name);
  return done();
});
