import { route, written } from '@/server/door';
import { renewSecret } from '@/server/asks';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, caller }) => {
  const made = await renewSecret(db, caller.name);
  return written(made, made, 201);
});
