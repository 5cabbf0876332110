import { calendarOf } from '@/server/broadcasts';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await calendarOf(db, url)));
