import { json, route } from '@/server/door';
import { groupsView } from '@/server/places';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await groupsView(db)));
