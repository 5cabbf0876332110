import { messageReport } from '@/server/flows';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await messageReport(db, params.key!, params.step!, url)));
