import { env } from '@/server/base';
import { readJson } from '@/server/http';
import { done, route, written } from '@/server/door';
import { putProductFeed, removeProductFeed } from '@/server/products';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await putProductFeed(db, params.key!, await readJson(request), env().inside, caller.name), { key: params.key }),
);
export const DELETE = route(async ({ db, params, caller }) => {
  await removeProductFeed(db, params.key!, caller.name);
  return done();
});
