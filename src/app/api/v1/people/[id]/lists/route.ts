import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { membership } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  const body = (await readJson(request)) as { list?: unknown; isOn?: unknown } | null;
  return json(await membership(db, params.id!, String(body?.list ?? ''), body?.isOn !== false, caller.name));
});
