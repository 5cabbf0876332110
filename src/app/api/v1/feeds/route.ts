import { json, route } from '@/server/door';
import { feeds } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await feeds(db)));
