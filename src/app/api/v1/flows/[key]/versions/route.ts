import { json, route } from '@/server/door';
import { versionsOf } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await versionsOf(db, params.key!)));
