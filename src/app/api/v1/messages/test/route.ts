import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { sendTest } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request, caller }) => json(await sendTest(db, await readJson(request), caller.name), 202));
