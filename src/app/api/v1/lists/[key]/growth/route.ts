import { json, route } from '@/server/door';
import { growth } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await growth(db, params.key!)));
