import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { LARGEST_TABLE, placesView, storePlaces } from '@/server/places';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await placesView(db)));
export const PUT = route(async ({ db, request, caller }) =>
  written(await storePlaces(db, await readJson(request, LARGEST_TABLE), caller.name), {}),
);
