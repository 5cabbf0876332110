import { calendarOf } from '@/server/broadcasts';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await calendarOf(db, url)));
