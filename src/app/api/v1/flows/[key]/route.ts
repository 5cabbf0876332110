import { readFlow, writeDraft } from '@/server/flows';
import { Problem } from '@/server/http/problem';
import { readJson } from '@/server/http/read';
import { json, route, written } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, params }) => {
  const flow = await readFlow(db, scope, params.key!);
  return json(flow, 200, { etag: `"${flow.revision}"` });
});

/** Stores the document as the draft. With If-Match, only when the draft still has that revision. */
export const PUT = route(async ({ db, scope, params, request }) => {
  const match = request.headers.get('if-match');
  const revision = match ? Number(/^"?(\d{1,9})"?$/.exec(match)?.[1] ?? NaN) : null;
  if (Number.isNaN(revision)) throw new Problem(400, 'Not a revision', 'If-Match must be the revision of the draft, as in the ETag of GET.');
  const flow = await writeDraft(db, scope, params.key!, await readJson(request), revision);
  return written(flow, { key: flow.key, revision: flow.revision }, 200, { etag: `"${flow.revision}"` });
});
