import { json, route } from '@/server/door';
import { cartsPage } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await cartsPage(db, url)));
