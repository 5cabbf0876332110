import { splitOfBroadcast } from '@/server/broadcasts';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, params, url }) => json(await splitOfBroadcast(db, params.key!, url)));
