import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { startBulk, work, works, workView } from '@/server/work';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await works(db, ['bulk'])));
export const POST = route(async ({ db, request, caller }) => {
  const row = await work(db, await startBulk(db, await readJson(request), caller.name));
  return written(workView(row), { id: row.id, state: row.state }, 201);
});
