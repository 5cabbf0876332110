import { readJson } from '@/server/http';
import { done, json, route, written } from '@/server/door';
import { archiveOffer, offerView, putOffer } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await offerView(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await putOffer(db, params.key!, await readJson(request), caller.name), { key: params.key }),
);
export const DELETE = route(async ({ db, params, caller }) => {
  await archiveOffer(db, params.key!, caller.name);
  return done();
});
