import { json, route } from '@/server/door';
import { cartsReport } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await cartsReport(db, url)));
