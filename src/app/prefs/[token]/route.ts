import type { Db } from '@/data/db';
import { readFormBody } from '@/server/http';
import { publicRoute } from '@/server/door';
import { choicesOf, notCompletePage, pageAnswer, personOfLink, prefsPage, problemPage, saveChoices, speechFor } from '@/server/public';

export const dynamic = 'force-dynamic';
const unknown = async (db: Db) => pageAnswer(notCompletePage(await speechFor(db, null)), 404);

/** The preference page of one person: channels, topics, a pause, leaving altogether. */
export const GET = publicRoute(async ({ db, params }) => {
  const personId = await personOfLink(db, params.token!);
  const choices = personId && (await choicesOf(db, personId));
  return choices ? pageAnswer(prefsPage(choices, null)) : unknown(db);
}, problemPage);

export const POST = publicRoute(async ({ db, params, request }) => {
  const personId = await personOfLink(db, params.token!);
  const given = await readFormBody(request);
  if (!personId || !given) return unknown(db);
  const says = await saveChoices(db, personId, given);
  const choices = await choicesOf(db, personId);
  return choices ? pageAnswer(prefsPage(choices, says)) : unknown(db);
}, problemPage);
