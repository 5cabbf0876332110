import { matchingOf } from '@/core/flows';
import { dueFrom, publishFlow } from '@/server/flows';
import { oneOf, revisionSeen } from '@/server/http';
import { route, written } from '@/server/door';
import { firstMessage } from '@/server/rehearsal';
import { startMatching } from '@/server/work';

export const dynamic = 'force-dynamic';

/**
 * Makes the draft a version; with ?inside=move whoever is inside is moved to it, with ?due=drop what fell due during a pause is let
 * pass, with ?enter=matching those enter too for whom its rule holds already. With If-Match, only when it still has the revision that
 * was seen.
 */
export const POST = route(async ({ db, params, request, url, caller }) => {
  const inside = oneOf(url, 'inside', ['stay', 'move']);
  const enter = oneOf(url, 'enter', ['new', 'matching']);
  const flow = await publishFlow(db, params.key!, caller.name, revisionSeen(request), inside, dueFrom(url.searchParams.get('due')));
  const rule = enter === 'matching' && flow.published ? matchingOf(flow.published) : null;
  const entering = rule && (await startMatching(db, flow.key, rule, caller.name));
  const first = flow.published && (await firstMessage(db, flow.key, flow.published));
  return written({ ...flow, entering, first }, { key: flow.key, version: flow.version, entering });
});
