import { done, route } from '@/server/door';
import { retryCall } from '@/server/asks';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  await retryCall(db, params.id!, caller.name);
  return done();
});
