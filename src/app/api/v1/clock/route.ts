import { readStore } from '@/data/store';
import { advanceClock } from '@/server/store';
import { env } from '@/server/base';
import { moveSchema, Problem, problemsOf, readJson } from '@/server/http';
import { json, route, written } from '@/server/door';

export const dynamic = 'force-dynamic';

export const GET = route(async ({ db }) => {
  const store = await readStore(db);
  return json({ now: new Date(store.now).toISOString(), zone: store.zone, offsetMs: store.offsetMs });
});

export const POST = route(async ({ db, request, caller }) => {
  if (!env().isDemo) throw new Problem(403, 'Clock stands', 'Store time can only be moved in the demo and in tests.');
  const body = moveSchema.safeParse(await readJson(request, 10_000));
  if (!body.success) throw new Problem(422, 'Not a move', 'Say by how much store time moves.', problemsOf(body.error));
  const { now, moved, target, isThere } = await advanceClock(db, body.data, caller.name);
  const receipt = { now: new Date(now).toISOString(), target: new Date(target).toISOString(), isThere };
  // 202: what fell due on the way is still being done; ask again with {"to": target}
  return written({ ...receipt, moved }, receipt, isThere ? 200 : 202);
});
