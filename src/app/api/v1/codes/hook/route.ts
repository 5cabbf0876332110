import { codeHook, putCodeHook } from '@/server/codes';
import { readJson } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await codeHook(db)));
export const PUT = route(async ({ db, request, caller }) => json(await putCodeHook(db, await readJson(request), caller.name)));
