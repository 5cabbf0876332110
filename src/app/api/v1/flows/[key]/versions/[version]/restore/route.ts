import { revisionSeen } from '@/server/http';
import { route, written } from '@/server/door';
import { restoreVersion } from '@/server/flows';

export const dynamic = 'force-dynamic';
/** Makes a version the draft again. With If-Match, only when the draft still has that revision. */
export const POST = route(async ({ db, params, request }) => {
  const flow = await restoreVersion(db, params.key!, params.version!, revisionSeen(request));
  return written(flow, { key: flow.key, revision: flow.revision });
});
