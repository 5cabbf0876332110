import { json, route } from '@/server/door';
import { orderCredits } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await orderCredits(db, params.id!)));
