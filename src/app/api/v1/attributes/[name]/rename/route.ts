import { renameAttribute } from '@/server/attributes';
import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, request, caller }) => json(await renameAttribute(db, scope, params.name!, ((await readJson(request)) as { to?: unknown } | null)?.to, caller.name)));
