import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { storeTopics, topics } from '@/server/store';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await topics(db)));
export const PUT = route(async ({ db, request, caller }) => written(await storeTopics(db, await readJson(request), caller.name), {}));
