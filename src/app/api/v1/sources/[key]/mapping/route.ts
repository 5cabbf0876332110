import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';
import { storeMapping } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) => json(await storeMapping(db, params.key!, await readJson(request), caller.name)));
