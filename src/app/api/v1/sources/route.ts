import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';
import { makeSource, sourceList } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await sourceList(db)));
export const POST = route(async ({ db, request, caller }) => json(await makeSource(db, await readJson(request), caller.name), 201));
