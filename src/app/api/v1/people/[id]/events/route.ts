import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { recordEvent } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request }) => {
  await recordEvent(db, params.id!, await readJson(request));
  return done();
});
