import { readStore } from '@/data/store';
import { confirm, confirmationOf, e, pageAnswer, problemPage, publicPage, type Confirmation } from '@/server/public';
import { publicRoute } from '@/server/door';

export const dynamic = 'force-dynamic';

function page(one: Confirmation, storeName: string): Response {
  const store = e(storeName);
  if (one.state === 'unknown')
    return pageAnswer(publicPage('Not complete', '<h1>This link is not complete</h1><p>Open it from the mail again.</p>'), 404);
  if (one.state === 'late')
    return pageAnswer(
      publicPage(
        'Too late',
        '<h1>This link is too old</h1><p>It worked for seven days. Fill the form in again, and you get a new one.</p>',
      ),
      410,
    );
  if (one.state === 'ask')
    return pageAnswer(
      publicPage(
        'Confirm',
        `<h1>Was it you?</h1><p>${e(one.what)}: press the button and it is done.</p><form method="post"><button>Yes, it was me</button></form><p class="hint">${store}</p>`,
      ),
    );
  const after = one.form?.document.after;
  const thanks =
    after?.kind === 'page'
      ? `<h1>${e(after.title)}</h1><p>${e(after.text)}</p>`
      : `<h1>Thank you</h1><p>That is confirmed.</p>${after?.kind === 'redirect' ? `<p><a href="${e(after.url)}">Go on</a></p>` : ''}`;
  const until = one.code?.expires ? `<br><small>until ${e(one.code.expires)}</small>` : '';
  const code = one.code ? `<p>${e(one.code.terms)}: <b style="font-size:20px;letter-spacing:1px">${e(one.code.code)}</b>${until}</p>` : '';
  return pageAnswer(publicPage('Confirmed', thanks + code));
}

/** Asks for the press of a button: a program that merely fetches the link confirms nothing. */
export const GET = publicRoute(
  async ({ db, params }) => page(await confirmationOf(db, params.token!), (await readStore(db)).name),
  problemPage,
);
export const POST = publicRoute(async ({ db, params }) => page(await confirm(db, params.token!), (await readStore(db)).name), problemPage);
