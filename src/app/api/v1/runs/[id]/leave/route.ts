import { leaveRun } from '@/server/people';
import { route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => written(await leaveRun(db, params.id!, caller.name), {}));
