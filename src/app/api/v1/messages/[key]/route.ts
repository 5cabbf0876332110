import { readJson, revisionSeen } from '@/server/http';
import { done, json, route, written } from '@/server/door';
import { keepInLibrary, libraryView, putInLibrary } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => {
  const item = await libraryView(db, params.key!);
  return json(item, 200, { etag: `"${item.revision}"` });
});

/** Stores a message or blocks. With If-Match, only when nobody has stored another revision meanwhile. */
export const PUT = route(async ({ db, params, request, caller }) => {
  const item = await putInLibrary(db, params.key!, await readJson(request), revisionSeen(request), caller.name);
  return written(item, { key: item.key, revision: item.revision }, 200, { etag: `"${item.revision}"` });
});
export const DELETE = route(async ({ db, params, caller }) => {
  await keepInLibrary(db, params.key!, true, caller.name);
  return done();
});
