import { json, reportRoute } from '@/server/door';
import { cohorts } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await cohorts(db, url)));
