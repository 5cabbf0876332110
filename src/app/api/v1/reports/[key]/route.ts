import { json, route, written } from '@/server/door';
import { env } from '@/server/base';
import { readJson } from '@/server/http';
import { putReport, removeReport, report } from '@/server/reports';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await report(db, params.key!, env().url)));
export const PUT = route(async ({ db, params, request, caller }) => {
  const made = await putReport(db, params.key!, await readJson(request), caller.name, env().url);
  return written(made, { key: made.key, revision: made.revision });
});
export const DELETE = route(async ({ db, params, caller }) => {
  await removeReport(db, params.key!, caller.name);
  return written({ key: params.key }, { key: params.key });
});
