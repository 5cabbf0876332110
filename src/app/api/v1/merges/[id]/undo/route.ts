import { json, route } from '@/server/door';
import { undoMerge } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => json(await undoMerge(db, params.id!, caller.name)));
