import { json, reportRoute } from '@/server/door';
import { cartsPage } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await cartsPage(db, url)));
