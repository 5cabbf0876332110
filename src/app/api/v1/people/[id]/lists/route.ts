import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';
import { membership } from '@/server/lists';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, request, caller }) => {
  const body = (await readJson(request)) as { list?: unknown; isOn?: unknown } | null;
  return json(await membership(db, scope, params.id!, String(body?.list ?? ''), body?.isOn !== false, caller.name));
});
