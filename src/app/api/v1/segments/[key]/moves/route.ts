import { json, route } from '@/server/door';
import { segmentMoves } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await segmentMoves(db, params.key!)));
