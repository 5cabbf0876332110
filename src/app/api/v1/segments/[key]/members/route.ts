import { json, route } from '@/server/door';
import { segmentMembers } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, request }) => json(await segmentMembers(db, params.key!, new URL(request.url))));
