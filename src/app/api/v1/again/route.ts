import { json, route } from '@/server/door';
import { again } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await again(db, url)));
