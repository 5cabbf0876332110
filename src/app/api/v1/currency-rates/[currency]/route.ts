import { done, route } from '@/server/door';
import { dropRates } from '@/server/places';

export const dynamic = 'force-dynamic';
export const DELETE = route(async ({ db, params, caller }) => {
  await dropRates(db, params.currency!, caller.name);
  return done();
});
