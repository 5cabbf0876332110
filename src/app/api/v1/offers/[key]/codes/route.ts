import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { issueByHand, offerCodes } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await offerCodes(db, params.key!, url)));
export const POST = route(async ({ db, params, request, caller }) =>
  written(await issueByHand(db, params.key!, await readJson(request), caller.name), { offer: params.key }, 201),
);
