import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';
import { lists, makeList } from '@/server/lists';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await lists(db)));
export const POST = route(async ({ db, request, caller }) => json(await makeList(db, await readJson(request), caller.name), 201));
