import { json, route } from '@/server/door';
import { readJson } from '@/server/http';
import { writeKept } from '@/server/store';

export const dynamic = 'force-dynamic';
/** How long things are kept. */
export const PUT = route(async ({ db, request, caller }) => json(await writeKept(db, await readJson(request), caller.name)));
