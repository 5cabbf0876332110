import { json, route } from '@/server/door';
import { rowsOfTable } from '@/server/tables';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await rowsOfTable(db, params.key!, url)));
