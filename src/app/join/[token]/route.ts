import { env } from '@/server/base';
import { brake, chooseByLink, linkOf } from '@/server/access';
import { publicRoute } from '@/server/door';
import { callerAddress, readFormBody } from '@/server/http';
import { e, pageAnswer, problemPage, publicPage } from '@/server/public';

export const dynamic = 'force-dynamic';
const unknown = () =>
  pageAnswer(
    publicPage('Not a link', '<h1>This link works no more</h1><p>It was used, is too old, or not complete. Ask for another one.</p>'),
    404,
  );

const form = (name: string, email: string, purpose: 'join' | 'reset', problem: string | null): string =>
  publicPage(
    'Choose a password',
    `<h1>${purpose === 'join' ? `Welcome, ${e(name)}` : 'Another password'}</h1><p>For ${e(email)}.</p><form method="post">` +
      `<label for="password">Password <small>at least twelve characters: a few words that have nothing to do with each other</small></label>` +
      `<input type="password" id="password" name="password" required minlength="12" maxlength="500" autocomplete="new-password"${problem ? ' aria-invalid="true" aria-describedby="wrong"' : ''}>` +
      `${problem ? `<p class="wrong" id="wrong" role="alert">${e(problem)}</p>` : ''}<button>Save</button></form>`,
  );

/** Where somebody who was asked to work here, or has forgotten their password, chooses one. */
export const GET = publicRoute(async ({ db, params }) => {
  const link = await linkOf(db, params.token!);
  return link ? pageAnswer(form(link.name, link.email, link.purpose, null)) : unknown();
}, problemPage);

export const POST = publicRoute(async ({ db, params, request }) => {
  await brake('join', callerAddress(request.headers), { times: 20, seconds: 900 }, 'That was tried too often.');
  const link = await linkOf(db, params.token!);
  const given = await readFormBody(request);
  if (!link || !given) return unknown();
  const problem = await chooseByLink(db, params.token!, given.password ?? '', env().url);
  if (problem) return pageAnswer(form(link.name, link.email, link.purpose, problem), 422);
  return pageAnswer(publicPage('Saved', '<h1>Your password is saved</h1><p><a href="/sign-in">Sign in</a></p>'));
}, problemPage);
