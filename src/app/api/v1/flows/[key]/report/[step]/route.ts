import { messageReport } from '@/server/flows';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, params, url }) => json(await messageReport(db, params.key!, params.step!, url)));
