import { readJson } from '@/server/http';
import { done, route } from '@/server/door';
import { tagPerson } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  const body = (await readJson(request)) as { tag?: unknown; isOn?: unknown } | null;
  await tagPerson(db, params.id!, String(body?.tag ?? ''), body?.isOn !== false, caller.name);
  return done();
});
