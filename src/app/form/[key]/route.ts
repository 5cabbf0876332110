import { findForm } from '@/data/public';
import { readStore } from '@/data/store';
import { brake } from '@/server/access';
import { env } from '@/server/base';
import { DEVICE, e, formPage, leadOn, pageAnswer, problemPage, publicPage, submitForm } from '@/server/public';
import { callerAddress, readFormBody } from '@/server/http';
import { publicRoute, type Call } from '@/server/door';

export const dynamic = 'force-dynamic';

/** A form that is asked for, and how its pages are answered: in frames of the sites it names. */
async function formOf({ db, params, url }: Call) {
  const row = await findForm(db, params.key!);
  if (!row || !row.is_open || row.archived_at) return null;
  const isEmbedded = url.searchParams.has('embedded');
  const { after, sites } = row.document;
  const policy = { frames: sites ?? [], leadsTo: after.kind === 'redirect' ? [new URL(after.url).origin] : [] };
  return {
    row,
    isEmbedded,
    answer: (body: string, status = 200) => pageAnswer(body, status, policy),
    say: (title: string, content: string, status = 200) => pageAnswer(publicPage(title, content, { isEmbedded }), status, policy),
  };
}
const gone = () => pageAnswer(publicPage('Closed', '<h1>This form is closed</h1><p>It takes nothing in any more.</p>'), 404);

/** A form as a page of its own; with `?embedded=1` for a frame in the shop's page. */
export const GET = publicRoute(async (call) => {
  const form = await formOf(call);
  if (!form) return gone();
  const store = await readStore(call.db);
  const device = call.url.searchParams.get('device') ?? '';
  return form.answer(formPage(form.row, store.name, { isEmbedded: form.isEmbedded, given: DEVICE.test(device) ? { device } : {} }));
}, problemPage);

/** Takes a submission in; what is wrong is said beside its field, with what was filled in still there. */
export const POST = publicRoute(async (call) => {
  const form = await formOf(call);
  if (!form) return gone();
  const { db, request } = call;
  const { row, isEmbedded } = form;
  await brake('form', `${row.key} ${callerAddress(request.headers)}`, { times: 20, seconds: 60 }, 'That was too often.');
  const given = await readFormBody(request);
  if (!given) return form.say('Not readable', '<h1>This could not be read</h1><p>Go back and try again.</p>', 400);
  const done = await submitForm(db, row, given, request.headers.get('referer')?.slice(0, 500) ?? `${env().url}/form/${row.key}`);
  if (done.kind === 'wrong')
    return form.answer(formPage(row, (await readStore(db)).name, { given, problems: done.problems, isEmbedded }), 422);
  if (done.kind === 'asked')
    return form.say('One more click', '<h1>One more click</h1><p>We have sent you a mail. Press the button in it, and it is done.</p>');
  const { after } = row.document;
  if (after.kind === 'redirect')
    return isEmbedded
      ? form.say('Thank you', `<h1>Thank you</h1><p><a href="${e(after.url)}" target="_top">Go on</a></p>`)
      : leadOn(after.url, 303);
  return form.say(
    after.title,
    `<h1>${e(after.title)}</h1>${after.text
      .split(/\n{2,}/)
      .map((part) => `<p>${e(part)}</p>`)
      .join('')}`,
  );
}, problemPage);
