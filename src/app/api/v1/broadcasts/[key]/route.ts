import { readBroadcast } from '@/server/broadcasts';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await readBroadcast(db, params.key!)));
