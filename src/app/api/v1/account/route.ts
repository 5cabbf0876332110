import { env } from '@/server/base';
import { accountOf, changePassword } from '@/server/access';
import { callerAddress, readJson } from '@/server/http';
import { json, personAsking, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ caller }) => json(await accountOf(personAsking(caller))), 'self');
/** Another password: ends all other sessions. */
export const PUT = route(
  async ({ db, request, caller }) =>
    json(await changePassword(db, personAsking(caller), await readJson(request), callerAddress(request.headers), env().url)),
  'self',
);
