import { forms, makeForm } from '@/server/public';
import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await forms(db)));
export const POST = route(async ({ db, request, caller }) => {
  const form = await makeForm(db, await readJson(request), caller.name);
  return written(form, { key: form.key, revision: form.revision }, 201);
});
