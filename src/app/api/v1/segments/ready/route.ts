import { json, route } from '@/server/door';
import { readySegments } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await readySegments(db)));
