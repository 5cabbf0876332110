import { json, route } from '@/server/door';
import { allMerges } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await allMerges(db, url)));
