import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { listFromSegment } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  const made = await listFromSegment(db, params.key!, await readJson(request), caller.name);
  return written(made, { key: made.key }, 201);
});
