import { personTimeline } from '@/server/people';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await personTimeline(db, params.id!, url)));
