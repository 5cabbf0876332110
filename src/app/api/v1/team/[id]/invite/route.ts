import { env } from '@/server/base';
import { json, personAsking, route } from '@/server/door';
import { inviteAgain } from '@/server/team';

export const dynamic = 'force-dynamic';
/** Sends the link once more to somebody who has not joined yet. */
export const POST = route(
  async ({ db, params, caller }) => json(await inviteAgain(db, params.id!, personAsking(caller), env().url)),
  'owner',
);
