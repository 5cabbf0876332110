import { editPerson, eraseById, personView, putPerson } from '@/server/people';
import { readJson } from '@/server/http';
import { done, json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await personView(db, params.id!)));
export const PUT = route(async ({ db, params, request, caller }) => {
  await putPerson(db, params.id!, await readJson(request), caller.sourceId);
  return json(await personView(db, params.id!));
});
/** Writes attributes by hand; null takes one away. */
export const PATCH = route(async ({ db, params, request, caller }) => {
  await editPerson(db, params.id!, await readJson(request), caller.name);
  return json(await personView(db, params.id!));
});
/** Erases the person. */
export const DELETE = route(async ({ db, params, caller }) => {
  await eraseById(db, params.id!, caller.name);
  return done();
});
