import { revenueReport } from '@/server/revenue';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await revenueReport(db, url)));
