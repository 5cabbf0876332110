import { route, written } from '@/server/door';
import { testSource } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params }) => {
  const tested = await testSource(db, params.key!);
  return written(tested, tested.answer);
});
