import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { saveStarter, starters } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await starters(db)));
export const POST = route(async ({ db, request, caller }) => {
  const kept = await saveStarter(db, await readJson(request), caller.name);
  return written(kept, kept, 201);
});
