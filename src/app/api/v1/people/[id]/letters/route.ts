import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { writeTo } from '@/server/messages';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  await writeTo(db, params.id!, await readJson(request), caller.name);
  return done();
});
