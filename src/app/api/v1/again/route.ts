import { json, reportRoute } from '@/server/door';
import { again } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await again(db, url)));
