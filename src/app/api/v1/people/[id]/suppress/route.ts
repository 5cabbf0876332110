import { person, suppressPerson } from '@/server/people';
import { done, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  await suppressPerson(db, (await person(db, params.id!)).id, 'by hand', { by: caller.name });
  return done();
});
