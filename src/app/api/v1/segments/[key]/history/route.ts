import { json, route } from '@/server/door';
import { segmentHistory } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, request }) => json(await segmentHistory(db, params.key!, new URL(request.url))));
