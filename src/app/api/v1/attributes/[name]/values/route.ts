import { respellAttribute, valuesOf } from '@/server/attributes';
import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await valuesOf(db, params.name!)));
export const POST = route(async ({ db, params, request, caller }) => json(await respellAttribute(db, params.name!, await readJson(request), caller.name)));
