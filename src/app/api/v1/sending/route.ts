import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { sendingView, writeLimits } from '@/server/sending';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await sendingView(db)));
export const PUT = route(async ({ db, request, caller }) => json(await writeLimits(db, await readJson(request), caller.name)));
