import { eraseById } from '@/server/erase';
import { readJson } from '@/server/http/read';
import { done, json, route } from '@/server/http/route';
import { editPerson, personView, putPerson } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, params }) => json(await personView(db, scope, params.id!)));
export const PUT = route(async ({ db, scope, params, request, caller }) => {
  await putPerson(db, scope, params.id!, await readJson(request), caller.sourceId);
  return json(await personView(db, scope, params.id!));
});
/** Writes attributes by hand; null takes one away. */
export const PATCH = route(async ({ db, scope, params, request, caller }) => {
  await editPerson(db, params.id!, await readJson(request), caller.name);
  return json(await personView(db, scope, params.id!));
});
/** Erases the person. */
export const DELETE = route(async ({ db, params, caller }) => {
  await eraseById(db, params.id!, caller.name);
  return done();
});
