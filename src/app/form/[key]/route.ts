import { findForm } from '@/data/forms';
import { readStore } from '@/data/store';
import { database } from '@/server/database';
import { env } from '@/server/env';
import { formPage, submitForm } from '@/server/forms';
import { readFormBody } from '@/server/http/read';
import { e, pageAnswer, publicPage } from '@/server/publicpage';
import { tooOften } from '@/server/throttle';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ key: string }> };

const gone = () => pageAnswer(publicPage('Closed', '<h1>This form is closed</h1><p>It takes nothing in any more.</p>'), 404);

async function formOf(context: Context) {
  const row = await findForm(database(), (await context.params).key);
  return row && row.is_open && !row.archived_at ? row : null;
}

/** A form as a page of its own; with `?embedded=1` for a frame in the shop's page. */
export async function GET(request: Request, context: Context): Promise<Response> {
  const row = await formOf(context);
  if (!row) return gone();
  const store = await readStore(database());
  return pageAnswer(formPage(row, store.name, { isEmbedded: new URL(request.url).searchParams.has('embedded') }));
}

/** Takes a submission in; what is wrong is said beside its field, with what was filled in still there. */
export async function POST(request: Request, context: Context): Promise<Response> {
  const row = await formOf(context);
  if (!row) return gone();
  const db = database();
  const store = await readStore(db);
  const isEmbedded = new URL(request.url).searchParams.has('embedded');
  const from = request.headers.get('x-forwarded-for')?.split(',')[0]?.trim() ?? '';
  if (tooOften(`form ${row.key} ${from}`, 20, 60_000)) return pageAnswer(publicPage('Too often', '<h1>That was too often</h1><p>Wait a minute, then try again.</p>', { isEmbedded }), 429, { 'retry-after': '60' });
  const given = await readFormBody(request);
  if (!given) return pageAnswer(publicPage('Not readable', '<h1>This could not be read</h1><p>Go back and try again.</p>', { isEmbedded }), 400);
  const done = await submitForm(db, env().databaseUrl, row, given, request.headers.get('referer')?.slice(0, 500) ?? `${env().url}/form/${row.key}`);
  if (done.kind === 'wrong') return pageAnswer(formPage(row, store.name, { given, problems: done.problems, isEmbedded }), 422);
  if (done.kind === 'asked') return pageAnswer(publicPage('One more click', '<h1>One more click</h1><p>We have sent you a mail. Press the button in it, and it is done.</p>', { isEmbedded }));
  const { after } = row.document;
  if (after.kind === 'redirect') return isEmbedded
    ? pageAnswer(publicPage('Thank you', `<h1>Thank you</h1><p><a href="${e(after.url)}" target="_top">Go on</a></p>`, { isEmbedded }))
    : new Response(null, { status: 303, headers: { location: after.url } });
  return pageAnswer(publicPage(after.title, `<h1>${e(after.title)}</h1>${after.text.split(/\n{2,}/).map((part) => `<p>${e(part)}</p>`).join('')}`, { isEmbedded }));
}
