import { removePasskey } from '@/server/access';
import { env } from '@/server/base';
import { json, personAsking, route } from '@/server/door';

export const dynamic = 'force-dynamic';
/** Takes a passkey of one's own account away. */
export const DELETE = route(
  async ({ db, params, caller }) => json(await removePasskey(db, personAsking(caller), params.id!, env().url)),
  'self',
);
