import { json, reportRoute } from '@/server/door';
import { lifts } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await lifts(db, url)));
