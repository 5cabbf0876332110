import { declareAttribute, retire } from '@/server/people';
import { readJson } from '@/server/http';
import { done, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) => {
  await declareAttribute(db, params.name!, await readJson(request), caller.name);
  return done();
});
export const PATCH = route(async ({ db, params, request, caller }) => {
  const body = (await readJson(request)) as { isRetired?: unknown } | null;
  await retire(db, params.name!, body?.isRetired === true, caller.name);
  return done();
});
