import { splitOfBroadcast } from '@/server/broadcasts';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await splitOfBroadcast(db, params.key!, url)));
