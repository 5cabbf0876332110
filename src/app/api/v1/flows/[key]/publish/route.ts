import { publishFlow } from '@/server/flows';
import { route, written } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, caller }) => {
  const flow = await publishFlow(db, scope, params.key!, caller.name);
  return written(flow, { key: flow.key, version: flow.version });
});
