import { archiveFlow } from '@/server/flows';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  const flow = await archiveFlow(db, params.key!, caller.name);
  return written(flow, { key: flow.key, state: flow.state });
});
