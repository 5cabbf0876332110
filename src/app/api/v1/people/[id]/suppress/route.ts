import { suppressPerson } from '@/server/consent';
import { done, route } from '@/server/http/route';
import { person } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  await suppressPerson(db, (await person(db, params.id!)).id, 'by hand', { by: caller.name });
  return done();
});
