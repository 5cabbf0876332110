import { json, route } from '@/server/door';
import { offers } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await offers(db)));
