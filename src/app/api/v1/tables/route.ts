import { json, route } from '@/server/door';
import { tables } from '@/server/tables';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await tables(db)));
