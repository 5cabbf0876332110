import { listOfBroadcasts } from '@/server/broadcasts';
import { json, route } from '@/server/door';
import { oneOf } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await listOfBroadcasts(db, oneOf(url, 'archived', ['no', 'yes']) === 'yes')));
