import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { startBacktest } from '@/server/work';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request, params, caller }) =>
  json(await startBacktest(db, params.key!, await readJson(request, LARGEST_RULE), caller.name), 202),
);
