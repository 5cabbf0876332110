import { readJson } from '@/server/http/read';
import { done, route } from '@/server/http/route';
import { writeTo } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  await writeTo(db, params.id!, await readJson(request), caller.name);
  return done();
});
