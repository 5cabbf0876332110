import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { closeTask } from '@/server/asks';

export const dynamic = 'force-dynamic';
export const PATCH = route(async ({ db, params, request, caller }) => {
  await closeTask(db, params.id!, await readJson(request), caller.name);
  return done();
});
