import { json, route } from '@/server/door';
import { senders } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await senders(db)));
