import { revenueReport } from '@/server/report';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, url }) => json(await revenueReport(db, scope, url)));
