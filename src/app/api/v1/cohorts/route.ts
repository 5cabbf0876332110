import { json, route } from '@/server/door';
import { cohorts } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await cohorts(db, url)));
