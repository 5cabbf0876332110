import { json, route } from '@/server/door';
import { readJson } from '@/server/http';
import { storeSettings, writeStore } from '@/server/store';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await storeSettings(db)));
export const PUT = route(async ({ db, request, caller }) => json(await writeStore(db, await readJson(request), caller.name)));
