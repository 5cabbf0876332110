import { readJson } from '@/server/http';
import { done, json, route, written } from '@/server/door';
import { dropSegment, putSegment, segmentView } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await segmentView(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await putSegment(db, params.key!, await readJson(request), caller.name), { key: params.key }),
);
export const DELETE = route(async ({ db, params, caller }) => {
  await dropSegment(db, params.key!, caller.name);
  return done();
});
