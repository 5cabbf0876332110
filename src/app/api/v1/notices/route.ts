import { noticesFor, seen } from '@/server/comments';
import { json, personAsking, route } from '@/server/door';
import { readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, caller }) => json(await noticesFor(db, personAsking(caller))), 'self');
/** Marks them as seen up to one of them. */
export const POST = route(async ({ db, request, caller }) => json(await seen(db, personAsking(caller), await readJson(request))), 'self');
