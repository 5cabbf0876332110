import { json, route } from '@/server/door';
import { lifts } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await lifts(db, url)));
