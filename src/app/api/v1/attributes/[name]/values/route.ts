import { respellAttribute, valuesOf } from '@/server/people';
import { readJson } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await valuesOf(db, params.name!)));
export const POST = route(async ({ db, params, request, caller }) =>
  json(await respellAttribute(db, params.name!, await readJson(request), caller.name)),
);
