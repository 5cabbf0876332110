import { ledgerPage } from '@/server/ledger';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await ledgerPage(db, url)));
