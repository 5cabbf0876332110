import { env } from '@/server/base';
import { publicRoute } from '@/server/door';
import { readFormBody } from '@/server/http';
import { noteRating, openLink } from '@/server/messages';
import { notCompletePage, pageAnswer, problemPage, ratePage, speechFor } from '@/server/public';

export const dynamic = 'force-dynamic';

/** Shows the page that gives the answer. It sends its form by itself; a program that merely fetches the link answers nothing. */
export const GET = publicRoute(async ({ db, params }) => {
  const link = openLink(env().secret, params.token!, 'rate');
  const speech = await speechFor(db, link?.personId ?? null);
  return link?.rating ? pageAnswer(ratePage(speech, 'ask', link.rating.value)) : pageAnswer(notCompletePage(speech), 404);
}, problemPage);

/** Takes an answer, and then the words that go with it. */
export const POST = publicRoute(async ({ db, params, request }) => {
  const link = openLink(env().secret, params.token!, 'rate');
  const speech = await speechFor(db, link?.personId ?? null);
  if (!link?.rating) return pageAnswer(notCompletePage(speech), 404);
  const words = (await readFormBody(request))?.words?.trim().slice(0, 2000);
  await noteRating(db, link, words ?? '');
  return pageAnswer(ratePage(speech, words ? 'said' : 'done', link.rating.value));
}, problemPage);
