import { ledgerPage } from '@/server/revenue';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, url }) => json(await ledgerPage(db, url)));
