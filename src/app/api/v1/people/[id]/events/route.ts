import { readJson } from '@/server/http/read';
import { done, route } from '@/server/http/route';
import { recordEvent } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, request }) => {
  await recordEvent(db, scope, params.id!, await readJson(request));
  return done();
});
