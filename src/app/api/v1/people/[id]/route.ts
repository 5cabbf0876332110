import { personView, putPerson } from '@/server/people';
import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, params }) => json(await personView(db, scope, params.id!)));
export const PUT = route(async ({ db, scope, params, request }) => {
  await putPerson(db, scope, params.id!, await readJson(request));
  return json(await personView(db, scope, params.id!));
});
