import { env } from '@/server/base';
import { brake, forgotPassword } from '@/server/access';
import { publicRoute } from '@/server/door';
import { callerAddress, readFormBody } from '@/server/http';
import { pageAnswer, problemPage, publicPage } from '@/server/public';

export const dynamic = 'force-dynamic';

/** Asks for a link to choose another password. */
export const GET = publicRoute(
  () =>
    Promise.resolve(
      pageAnswer(
        publicPage(
          'Forgot your password?',
          '<h1>Forgot your password?</h1><p>We write you a link by which you choose another one.</p><form method="post">' +
            '<label for="email">Email</label><input type="email" id="email" name="email" required maxlength="254" autocomplete="username">' +
            '<button>Send the link</button></form><p class="hint"><a href="/sign-in">Back to signing in</a></p>',
        ),
      ),
    ),
  problemPage,
);

/** The answer is the same whether there is such an account or not. */
export const POST = publicRoute(async ({ db, request }) => {
  await brake('forgot', callerAddress(request.headers), { times: 10, seconds: 900 }, 'That was asked for too often.');
  const email = ((await readFormBody(request))?.email ?? '').trim();
  await brake('forgot by address', email.toLowerCase().slice(0, 254), { times: 3, seconds: 900 }, 'That was asked for too often.');
  await forgotPassword(db, email, env().url);
  return pageAnswer(
    publicPage(
      'On its way',
      '<h1>Look into your mail</h1><p>If there is an account with this address, a link is on its way. It works for an hour.</p>',
    ),
  );
}, problemPage);
