import { allTags } from '@/data/bulk';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json({ tags: await allTags(db) }));
