import { flowReport } from '@/server/flows';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, params, url }) => json(await flowReport(db, params.key!, url)));
