import { catalogue } from '@/server/catalogue';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await catalogue(db)));
