import { switchFlow } from '@/server/flows';
import { route, written } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, caller }) => {
  const flow = await switchFlow(db, scope, params.key!, 'on', caller.name);
  return written(flow, { key: flow.key, state: flow.state });
});
