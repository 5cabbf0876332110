import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { checkFor } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request }) => json(await checkFor(db, await readJson(request))), 'read');
