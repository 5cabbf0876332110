import { readStore } from '@/data/store';
import { database } from '@/server/database';
import { readFormBody } from '@/server/http/read';
import { choicesOf, personOfLink, prefsPage, saveChoices } from '@/server/prefs';
import { pageAnswer, publicPage } from '@/server/publicpage';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ token: string }> };
const unknown = () => pageAnswer(publicPage('Not complete', '<h1>This link is not complete</h1><p>Open it from the message again.</p>'), 404);

/** The preference page of one person: channels, topics, a pause, leaving altogether. */
export async function GET(_request: Request, context: Context): Promise<Response> {
  const db = database();
  const personId = await personOfLink(db, (await context.params).token);
  const choices = personId && (await choicesOf(db, personId));
  return choices ? pageAnswer(prefsPage((await readStore(db)).name, choices, null)) : unknown();
}

export async function POST(request: Request, context: Context): Promise<Response> {
  const db = database();
  const personId = await personOfLink(db, (await context.params).token);
  const given = await readFormBody(request);
  if (!personId || !given) return unknown();
  const says = await saveChoices(db, personId, given);
  const choices = await choicesOf(db, personId);
  return choices ? pageAnswer(prefsPage((await readStore(db)).name, choices, says)) : unknown();
}
