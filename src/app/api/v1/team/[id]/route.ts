import { json, personAsking, route } from '@/server/door';
import { readJson } from '@/server/http';
import { changeRole, removeMember } from '@/server/team';

export const dynamic = 'force-dynamic';
/** Gives somebody another role. */
export const PUT = route(
  async ({ db, params, request, caller }) => json(await changeRole(db, params.id!, await readJson(request), personAsking(caller))),
  'owner',
);
/** Takes somebody off the team. */
export const DELETE = route(async ({ db, params, caller }) => json(await removeMember(db, params.id!, personAsking(caller))), 'owner');
