import { env } from '@/server/base';
import { commentsOf, sayOf } from '@/server/comments';
import { json, personAsking, route, written } from '@/server/door';
import { readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url, caller }) => json(await commentsOf(db, url, caller.user ?? null)));
export const POST = route(async ({ db, request, caller }) => {
  const made = await sayOf(db, await readJson(request), personAsking(caller), env().url);
  return written(made, made, 201);
});
