import { catalogue } from '@/server/sources';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await catalogue(db)));
