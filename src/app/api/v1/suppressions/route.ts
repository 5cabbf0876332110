import { readJson } from '@/server/http';
import { done, json, route, written } from '@/server/door';
import { addSuppressions, lift, suppressions } from '@/server/store';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await suppressions(db, url)));
export const POST = route(async ({ db, request, caller }) => {
  const added = await addSuppressions(db, await readJson(request), caller.name);
  return written(added, { wrong: added.wrong }, 201);
});
export const DELETE = route(async ({ db, url, caller }) => {
  await lift(
    db,
    url.searchParams.get('channel') ?? 'email',
    url.searchParams.get('address') ?? '',
    url.searchParams.get('why') ?? '',
    caller.name,
  );
  return done();
});
