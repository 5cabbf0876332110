import { renameAttribute } from '@/server/people';
import { readJson } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) =>
  json(await renameAttribute(db, params.name!, await readJson(request), caller.name)),
);
