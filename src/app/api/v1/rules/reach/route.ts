import { reachOfAudience } from '@/server/broadcasts';
import { json, route } from '@/server/door';
import { LARGEST_RULE, readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request }) => json(await reachOfAudience(db, await readJson(request, LARGEST_RULE))), 'read');
