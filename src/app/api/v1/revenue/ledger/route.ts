import { ledgerPage } from '@/server/revenue';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await ledgerPage(db, url)));
