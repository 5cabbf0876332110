import { accountOf, changePassword } from '@/server/access';
import { callerAddress } from '@/server/http/caller';
import { readJson } from '@/server/http/read';
import { json, personAsking, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ caller }) => json(await accountOf(personAsking(caller))));
/** Another password: ends all other sessions. */
export const PUT = route(async ({ db, request, caller }) => json(await changePassword(db, personAsking(caller), await readJson(request), callerAddress(request.headers))));
