import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { renderAs } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request }) => json(await renderAs(db, await readJson(request))), 'read');
