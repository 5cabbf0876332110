import { json, route, written } from '@/server/door';
import { checkLedger, ledgerStanding } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await ledgerStanding(db)));
export const POST = route(async ({ db }) => written(await checkLedger(db), { checked: true }));
