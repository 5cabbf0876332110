import { dueFrom, switchFlow } from '@/server/flows';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
/** Switches on again; with ?due=drop what fell due during the pause is let pass. */
export const POST = route(async ({ db, params, url, caller }) => {
  const flow = await switchFlow(db, params.key!, 'on', caller.name, dueFrom(url.searchParams.get('due')));
  return written(flow, { key: flow.key, state: flow.state });
});
