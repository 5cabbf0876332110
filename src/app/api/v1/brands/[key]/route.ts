import { readJson } from '@/server/http';
import { done, json, route, written } from '@/server/door';
import { brand, putBrand, removeBrand } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await brand(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await putBrand(db, params.key!, await readJson(request), caller.name), { key: params.key }),
);
export const DELETE = route(async ({ db, params, caller }) => {
  await removeBrand(db, params.key!, caller.name);
  return done();
});
