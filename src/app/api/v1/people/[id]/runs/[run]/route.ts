import { done, route } from '@/server/door';
import { takeOut } from '@/server/people';

export const dynamic = 'force-dynamic';
export const DELETE = route(async ({ db, params, caller }) => {
  await takeOut(db, params.id!, params.run!, caller.name);
  return done();
});
