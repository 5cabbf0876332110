import { declareAttribute, retire } from '@/server/attributes';
import { readJson } from '@/server/http/read';
import { done, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, scope, params, request, caller }) => {
  await declareAttribute(db, scope, params.name!, await readJson(request), caller.name);
  return done();
});
export const PATCH = route(async ({ db, scope, params, request, caller }) => {
  const body = (await readJson(request)) as { isRetired?: unknown } | null;
  await retire(db, scope, params.name!, body?.isRetired === true, caller.name);
  return done();
});
