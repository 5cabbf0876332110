import { publishFlow } from '@/server/flows';
import { revisionSeen } from '@/server/http';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
/** Makes the draft a version. With If-Match, only when it still has the revision that was seen. */
export const POST = route(async ({ db, params, request, caller }) => {
  const flow = await publishFlow(db, params.key!, caller.name, revisionSeen(request));
  return written(flow, { key: flow.key, version: flow.version });
});
