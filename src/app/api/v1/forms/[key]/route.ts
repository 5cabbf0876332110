import { changeFormState, formView, writeForm } from '@/server/public';
import { readJson, revisionSeen } from '@/server/http';
import { done, json, route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await formView(db, params.key!)));
export const PUT = route(async ({ db, params, request, caller }) => {
  const form = await writeForm(db, params.key!, await readJson(request), revisionSeen(request), caller.name);
  return written(form, { key: form.key, revision: form.revision });
});
export const PATCH = route(async ({ db, params, request, caller }) => {
  const body = ((await readJson(request)) ?? {}) as { isOpen?: unknown; isArchived?: unknown };
  await changeFormState(
    db,
    params.key!,
    {
      ...(typeof body.isOpen === 'boolean' && { isOpen: body.isOpen }),
      ...(typeof body.isArchived === 'boolean' && { isArchived: body.isArchived }),
    },
    caller.name,
  );
  return done();
});
