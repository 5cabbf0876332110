import { readStore } from '@/data/store';
import { env } from '@/server/base';
import { publicRoute } from '@/server/door';
import { readFormBody } from '@/server/http';
import { noteRating, openLink } from '@/server/messages';
import { pageAnswer, problemPage, ratePage } from '@/server/public';

export const dynamic = 'force-dynamic';

/** Shows the page that gives the answer. It sends its form by itself; a program that merely fetches the link answers nothing. */
export const GET = publicRoute(async ({ db, params }) => {
  const { name } = await readStore(db);
  const link = openLink(env().secret, params.token!, 'rate');
  return link?.rating ? pageAnswer(ratePage(name, 'ask', link.rating.value)) : pageAnswer(ratePage(name, 'unknown'), 404);
}, problemPage);

/** Takes an answer, and then the words that go with it. */
export const POST = publicRoute(async ({ db, params, request }) => {
  const { name } = await readStore(db);
  const link = openLink(env().secret, params.token!, 'rate');
  if (!link?.rating) return pageAnswer(ratePage(name, 'unknown'), 404);
  const words = (await readFormBody(request))?.words?.trim().slice(0, 2000);
  await noteRating(db, link, words ?? '');
  return pageAnswer(ratePage(name, words ? 'said' : 'done', link.rating.value));
}, problemPage);
