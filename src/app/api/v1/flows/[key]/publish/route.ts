import { dueFrom, publishFlow } from '@/server/flows';
import { Problem, revisionSeen } from '@/server/http';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
/**
 * Makes the draft a version; with ?inside=move whoever is inside is moved to it, with ?due=drop what fell due during a pause is let
 * pass. With If-Match, only when it still has the revision that was seen.
 */
export const POST = route(async ({ db, params, request, url, caller }) => {
  const inside = url.searchParams.get('inside') ?? 'stay';
  if (inside !== 'stay' && inside !== 'move')
    throw new Problem(400, 'Not a choice', 'Nothing was published.', [
      { field: 'inside', wrong: 'is neither of the two', right: 'stay or move' },
    ]);
  const flow = await publishFlow(db, params.key!, caller.name, revisionSeen(request), inside, dueFrom(url.searchParams.get('due')));
  return written(flow, { key: flow.key, version: flow.version });
});
