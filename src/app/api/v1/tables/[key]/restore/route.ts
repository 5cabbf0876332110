import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { restoreTable } from '@/server/tables';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) =>
  written(await restoreTable(db, params.key!, await readJson(request), caller.name), { key: params.key }),
);
