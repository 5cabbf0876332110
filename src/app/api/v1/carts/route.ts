import { json, reportRoute } from '@/server/door';
import { cartsReport } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await cartsReport(db, url)));
