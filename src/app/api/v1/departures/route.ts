import { json, route } from '@/server/door';
import { departures } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await departures(db, url)));
