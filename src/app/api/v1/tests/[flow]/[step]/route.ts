import { json, reportRoute } from '@/server/door';
import { testView } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, params }) => json(await testView(db, params.flow!, params.step!)));
