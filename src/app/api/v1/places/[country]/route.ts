import { done, route } from '@/server/door';
import { dropPlaces } from '@/server/places';

export const dynamic = 'force-dynamic';
export const DELETE = route(async ({ db, params, caller }) => {
  await dropPlaces(db, params.country!, caller.name);
  return done();
});
