import { json, route } from '@/server/http/route';
import { growth } from '@/server/lists';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await growth(db, params.key!)));
