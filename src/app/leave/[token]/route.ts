import { env } from '@/server/base';
import { noteLeaving, openLink } from '@/server/messages';
import { unsubscribe } from '@/server/people';
import { readFormBody } from '@/server/http';
import { publicRoute } from '@/server/door';
import { leavePage, notCompletePage, pageAnswer, personOfLink, problemPage, speechFor } from '@/server/public';

export const dynamic = 'force-dynamic';

/**
 * Shows the page that unsubscribes. The page itself sends the form at once; a program that merely fetches the link
 * (a mail scanner) changes nothing, as RFC 8058 §1 warns of.
 */
export const GET = publicRoute(async ({ db, params }) => {
  const personId = await personOfLink(db, params.token!);
  const speech = await speechFor(db, personId);
  return personId ? pageAnswer(leavePage(speech, 'ask')) : pageAnswer(notCompletePage(speech), 404);
}, problemPage);

/** Unsubscribes: from the page, or as the one-click request of a mail program (RFC 8058 §3.2). */
export const POST = publicRoute(async ({ db, params, request }) => {
  const personId = await personOfLink(db, params.token!);
  const speech = await speechFor(db, personId);
  if (!personId) return pageAnswer(notCompletePage(speech), 404);
  const isOneClick = (await readFormBody(request))?.['List-Unsubscribe'] === 'One-Click';
  const link = openLink(env().secret, params.token!, 'leave');
  if (link) await noteLeaving(db, link);
  await unsubscribe(db, personId, isOneClick ? 'one-click unsubscribe in the mail program' : 'unsubscribe link in a message');
  return pageAnswer(leavePage(speech, 'done', params.token!));
}, problemPage);
