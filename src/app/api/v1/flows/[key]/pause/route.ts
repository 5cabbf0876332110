import { switchFlow } from '@/server/flows';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  const flow = await switchFlow(db, params.key!, 'paused', caller.name);
  return written(flow, { key: flow.key, state: flow.state });
});
