import { catalogueType } from '@/server/sources';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await catalogueType(db, params.type!)));
