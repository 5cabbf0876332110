import { env } from '@/server/base';
import { json, personAsking, route } from '@/server/door';
import { readJson } from '@/server/http';
import { invite, team } from '@/server/team';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, caller }) => json(await team(db, caller.user)), 'self');
/** Asks somebody to work here. */
export const POST = route(
  async ({ db, request, caller }) => json(await invite(db, await readJson(request), personAsking(caller), env().url), 201),
  'owner',
);
