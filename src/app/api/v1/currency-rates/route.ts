import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { LARGEST_TABLE, ratesView, storeRates } from '@/server/places';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await ratesView(db)));
export const PUT = route(async ({ db, request, caller }) =>
  written(await storeRates(db, await readJson(request, LARGEST_TABLE), caller.name), {}),
);
