import { changeFormState, formView, writeForm } from '@/server/forms';
import { readJson } from '@/server/http/read';
import { done, json, route, written } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await formView(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) => {
  const revision = /^"?(\d+)"?$/.exec(request.headers.get('if-match') ?? '')?.[1];
  const form = await writeForm(db, params.key!, await readJson(request), revision ? Number(revision) : null, caller.name);
  return written(form, { key: form.key, revision: form.revision });
});
export const PATCH = route(async ({ db, params, request, caller }) => {
  const body = ((await readJson(request)) ?? {}) as { isOpen?: unknown; isArchived?: unknown };
  await changeFormState(db, params.key!, { ...(typeof body.isOpen === 'boolean' && { isOpen: body.isOpen }), ...(typeof body.isArchived === 'boolean' && { isArchived: body.isArchived }) }, caller.name);
  return done();
});
