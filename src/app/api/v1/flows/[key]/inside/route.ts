import { json, route } from '@/server/door';
import { inside } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await inside(db, params.key!, url)));
