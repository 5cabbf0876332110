import { json, route } from '@/server/http/route';
import { workContext } from '@/server/workcontext';
import { undoWork } from '@/server/work/work';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => json(await undoWork(workContext(db), params.id!, caller.name)));
