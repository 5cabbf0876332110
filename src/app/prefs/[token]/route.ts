import { readStore } from '@/data/store';
import { readFormBody } from '@/server/http';
import { publicRoute } from '@/server/door';
import { choicesOf, pageAnswer, personOfLink, prefsPage, problemPage, publicPage, saveChoices } from '@/server/public';

export const dynamic = 'force-dynamic';
const unknown = () =>
  pageAnswer(publicPage('Not complete', '<h1>This link is not complete</h1><p>Open it from the message again.</p>'), 404);

/** The preference page of one person: channels, topics, a pause, leaving altogether. */
export const GET = publicRoute(async ({ db, params }) => {
  const personId = await personOfLink(db, params.token!);
  const choices = personId && (await choicesOf(db, personId));
  return choices ? pageAnswer(prefsPage((await readStore(db)).name, choices, null)) : unknown();
}, problemPage);

export const POST = publicRoute(async ({ db, params, request }) => {
  const personId = await personOfLink(db, params.token!);
  const given = await readFormBody(request);
  if (!personId || !given) return unknown();
  const says = await saveChoices(db, personId, given);
  const choices = await choicesOf(db, personId);
  return choices ? pageAnswer(prefsPage((await readStore(db)).name, choices, says)) : unknown();
}, problemPage);
