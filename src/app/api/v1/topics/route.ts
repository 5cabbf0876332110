import { readJson } from '@/server/http/read';
import { json, route, written } from '@/server/http/route';
import { storeTopics, topics } from '@/server/settings';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await topics(db)));
export const PUT = route(async ({ db, request, caller }) => written(await storeTopics(db, await readJson(request), caller.name), {}));
