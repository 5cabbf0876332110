import { json, route } from '@/server/door';
import { callsView } from '@/server/asks';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await callsView(db)));
