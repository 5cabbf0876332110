import { json, route } from '@/server/door';
import { acts } from '@/server/team';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await acts(db, url)));
