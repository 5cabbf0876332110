import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { presentIn } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, request, caller }) => {
  const there = await presentIn(db, params.key!, await readJson(request), caller.name);
  return written(there, { key: params.key! });
}, 'read');
