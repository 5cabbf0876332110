import { json, route } from '@/server/door';
import { segmentOverlaps } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, request }) => json(await segmentOverlaps(db, new URL(request.url))));
