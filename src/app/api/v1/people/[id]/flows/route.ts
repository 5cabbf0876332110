import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { startFlow } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  await startFlow(db, params.id!, String(((await readJson(request)) as { flow?: unknown } | null)?.flow ?? ''), caller.name);
  return done();
});
