import { readJson } from '@/server/http/read';
import { done, route } from '@/server/http/route';
import { startFlow } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, request, caller }) => {
  await startFlow(db, scope, params.id!, String(((await readJson(request)) as { flow?: unknown } | null)?.flow ?? ''), caller.name);
  return done();
});
