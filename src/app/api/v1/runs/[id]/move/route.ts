import { readJson } from '@/server/http';
import { moveRun } from '@/server/people';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) =>
  written(await moveRun(db, params.id!, await readJson(request), caller.name), {}),
);
