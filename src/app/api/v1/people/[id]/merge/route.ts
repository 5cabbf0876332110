import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { mergePeople } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  const merged = await mergePeople(
    db,
    params.id!,
    String(((await readJson(request)) as { other?: unknown } | null)?.other ?? ''),
    caller.name,
  );
  return written(merged, {});
});
