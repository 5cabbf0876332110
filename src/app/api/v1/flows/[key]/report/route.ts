import { flowReport } from '@/server/report';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, params, url }) => json(await flowReport(db, scope, params.key!, url)));
