import { onlyMessages, readFlow, writeDraft } from '@/server/flows';
import { readJson, revisionSeen } from '@/server/http';
import { json, route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => {
  const flow = await readFlow(db, params.key!);
  return json(flow, 200, { etag: `"${flow.revision}"` });
});

/** Stores the document as the draft. With If-Match, only when the draft still has that revision. */
export const PUT = route(async ({ db, params, request, caller }) => {
  const body = await readJson(request);
  if (caller.user?.role === 'writer') await onlyMessages(db, params.key!, body);
  const flow = await writeDraft(db, params.key!, body, revisionSeen(request));
  return written(flow, { key: flow.key, revision: flow.revision }, 200, { etag: `"${flow.revision}"` });
});
