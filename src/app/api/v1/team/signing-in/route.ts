import { json, personAsking, route } from '@/server/door';
import { readJson } from '@/server/http';
import { changeSigningIn } from '@/server/team';

export const dynamic = 'force-dynamic';
/** Changes how everybody signs in. */
export const PUT = route(
  async ({ db, request, caller }) => json(await changeSigningIn(db, await readJson(request), personAsking(caller))),
  'owner',
);
