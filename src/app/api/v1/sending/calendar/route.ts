import { json, route } from '@/server/door';
import { sendCalendar } from '@/server/sending';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await sendCalendar(db)));
