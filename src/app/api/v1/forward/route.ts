import { json, route } from '@/server/door';
import { forward } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await forward(db, url)));
