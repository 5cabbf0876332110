import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { startImport, work, works, workView } from '@/server/work';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await works(db, ['import'])));
export const POST = route(async ({ db, request, url, caller }) => {
  const row = await work(db, await startImport(db, await readJson(request), url.searchParams.get('dry') === 'yes', caller.name));
  return written(workView(row), { id: row.id, state: row.state }, 201);
});
