import { codeInput } from '@/core/api';
import { drawSecret, secondFactorView, turnOff, turnOn } from '@/server/access';
import { env } from '@/server/base';
import { done, json, personAsking, route } from '@/server/door';
import { Problem, problemsOf, readJson } from '@/server/http';

export const dynamic = 'force-dynamic';

async function codeOf(request: Request): Promise<string> {
  const parsed = codeInput.safeParse(await readJson(request));
  if (!parsed.success) throw new Problem(422, 'Not a code', 'Nothing was changed.', problemsOf(parsed.error));
  return parsed.data.code;
}

/** How the second factor of one's own account stands. */
export const GET = route(async ({ db, caller }) => json(await secondFactorView(db, personAsking(caller), env().secret)), 'self');
/** Draws a secret to be taken into an authenticator program. */
export const POST = route(async ({ db, caller }) => json(await drawSecret(db, personAsking(caller), env().secret), 201), 'self');
/** Turns it on by a first code; answers with the codes for when the device is lost. */
export const PUT = route(
  async ({ db, request, caller }) => json(await turnOn(db, personAsking(caller), await codeOf(request), env().secret, env().url)),
  'self',
);
/** Turns it off by a code. */
export const DELETE = route(async ({ db, request, caller }) => {
  await turnOff(db, personAsking(caller), await codeOf(request), env().secret, env().url);
  return done();
}, 'self');
