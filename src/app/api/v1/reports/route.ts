import { json, route, written } from '@/server/door';
import { env } from '@/server/base';
import { readJson } from '@/server/http';
import { addReport, reports } from '@/server/reports';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await reports(db, env().url)));
export const POST = route(async ({ db, request, caller }) => {
  const made = await addReport(db, await readJson(request), caller.name, env().url);
  return written(made, { key: made.key, revision: made.revision }, 201);
});
