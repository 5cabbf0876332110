import { readJson } from '@/server/http';
import { done, json, route, written } from '@/server/door';
import { editList, listView, putAway } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await listView(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await editList(db, params.key!, await readJson(request), caller.name), { key: params.key }),
);
export const PATCH = route(async ({ db, params, request, caller }) => {
  await putAway(db, params.key!, ((await readJson(request)) as { isAway?: unknown } | null)?.isAway === true, caller.name);
  return done();
});
