import { keepTestArm } from '@/server/flows';
import { route, written } from '@/server/door';
import { readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
/** Ends a test: one of its arms is published in place of it. */
export const POST = route(async ({ db, params, request, caller }) => {
  const kept = await keepTestArm(db, params.flow!, params.step!, await readJson(request), caller.name);
  return written(kept, kept, 201);
});
