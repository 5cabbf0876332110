import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { tryMapping } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request }) => json(await tryMapping(db, params.key!, await readJson(request))));
