import { done, route } from '@/server/door';
import { keepInLibrary } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  await keepInLibrary(db, params.key!, false, caller.name);
  return done();
});
