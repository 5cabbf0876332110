import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { enterConsent } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  await enterConsent(db, params.id!, await readJson(request), caller.name);
  return done();
});
