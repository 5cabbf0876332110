import { revenueReport } from '@/server/revenue';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await revenueReport(db, url)));
