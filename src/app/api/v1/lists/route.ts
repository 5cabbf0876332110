import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { lists, makeList } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await lists(db)));
export const POST = route(async ({ db, request, caller }) => {
  const list = await makeList(db, await readJson(request), caller.name);
  return written(list, { key: list.key }, 201);
});
