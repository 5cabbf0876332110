import { publishFlow } from '@/server/flows';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, caller }) => json(await publishFlow(db, scope, params.key!, caller.name)));
