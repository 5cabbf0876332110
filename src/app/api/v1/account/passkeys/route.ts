import { askForPasskey, passkeysView, storePasskey } from '@/server/access';
import { env } from '@/server/base';
import { json, personAsking, route } from '@/server/door';
import { callerAddress, readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
/** The passkeys of one's own account. */
export const GET = route(async ({ db, caller }) => json(await passkeysView(db, personAsking(caller), env().url)), 'self');
/** What a device is to be asked for that makes one. */
export const POST = route(
  async ({ db, request, caller }) =>
    json(await askForPasskey(db, personAsking(caller), await readJson(request), callerAddress(request.headers), env().url)),
  'self',
);
/** Stores what the device made. */
export const PUT = route(
  async ({ db, request, caller }) => json(await storePasskey(db, personAsking(caller), await readJson(request), env().url)),
  'self',
);
