import { catalogueType } from '@/server/catalogue';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await catalogueType(db, params.type!)));
