import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { keepView, views } from '@/server/store';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await views(db)));
export const POST = route(async ({ db, request, caller }) => written(await keepView(db, await readJson(request), caller.name), {}, 201));
