import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { putTextPrices, textPrices } from '@/server/sending';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await textPrices(db)));
export const PUT = route(async ({ db, request, caller }) => written(await putTextPrices(db, await readJson(request), caller.name), {}));
