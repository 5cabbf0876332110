import { json, reportRoute } from '@/server/door';
import { testViews } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db }) => json(await testViews(db)));
