import { json, route } from '@/server/door';
import { flowLift } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await flowLift(db, params.key!, url)));
