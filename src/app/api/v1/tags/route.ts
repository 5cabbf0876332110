import { allTags } from '@/data/work';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json({ tags: await allTags(db) }));
