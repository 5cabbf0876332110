import { json, route } from '@/server/door';
import { undoWork, workContext } from '@/server/work';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => json(await undoWork(workContext(db), params.id!, caller.name)));
