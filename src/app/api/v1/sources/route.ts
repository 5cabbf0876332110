import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { makeSource, sourceList } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await sourceList(db)));
export const POST = route(async ({ db, request, caller }) => {
  const made = await makeSource(db, await readJson(request), caller);
  return written(made, { key: made.source.key, shownOnce: made.shownOnce }, 201);
});
