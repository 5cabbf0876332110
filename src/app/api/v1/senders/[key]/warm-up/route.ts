import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { putWarmUp } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) => {
  await putWarmUp(db, params.key!, await readJson(request), caller.name);
  return done();
});
export const DELETE = route(async ({ db, params, caller }) => {
  await putWarmUp(db, params.key!, null, caller.name);
  return done();
});
