import { route, written } from '@/server/door';
import { dropStarter } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const DELETE = route(async ({ db, params, caller }) => {
  await dropStarter(db, params.key!, caller.name);
  return written({ key: params.key }, { key: params.key });
});
