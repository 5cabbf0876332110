import { forms, makeForm } from '@/server/forms';
import { readJson } from '@/server/http/read';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await forms(db)));
export const POST = route(async ({ db, request, caller }) => json(await makeForm(db, ((await readJson(request)) as { name?: unknown } | null)?.name, caller.name), 201));
