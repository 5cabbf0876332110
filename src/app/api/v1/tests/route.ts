import { json, route } from '@/server/door';
import { testViews } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await testViews(db, url)));
