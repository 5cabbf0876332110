import { route, written } from '@/server/http/route';
import { testSource } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params }) => {
  const tested = await testSource(db, scope, params.key!);
  return written(tested, tested.answer);
});
