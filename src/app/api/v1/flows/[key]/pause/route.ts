import { switchFlow } from '@/server/flows';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params, caller }) => json(await switchFlow(db, scope, params.key!, 'paused', caller.name)));
