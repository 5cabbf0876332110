import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { LARGEST_TABLE } from '@/server/places';
import { putTable, removeTable, tableView } from '@/server/tables';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await tableView(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await putTable(db, params.key!, await readJson(request, LARGEST_TABLE), caller.name), { key: params.key }),
);
export const DELETE = route(async ({ db, params, caller }) => {
  await removeTable(db, params.key!, caller.name);
  return written({ key: params.key }, { key: params.key });
});
