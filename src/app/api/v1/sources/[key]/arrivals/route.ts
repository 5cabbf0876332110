import { json, route } from '@/server/door';
import { arrivals } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await arrivals(db, params.key!)));
