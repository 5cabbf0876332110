import { json, route } from '@/server/door';
import { segments } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await segments(db)));
