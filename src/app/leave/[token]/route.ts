import { database } from '@/server/database';
import { leavePage } from '@/server/leavepage';
import { personOfLink } from '@/server/prefs';
import { unsubscribe } from '@/server/consent';
import { pageAnswer } from '@/server/publicpage';
import { readStore } from '@/data/store';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ token: string }> };

async function ownerOf(context: Context): Promise<string | null> {
  return personOfLink(database(), (await context.params).token);
}

/**
 * Shows the page that unsubscribes. The page itself sends the form at once; a program that merely fetches the link
 * (a mail scanner) changes nothing, as RFC 8058 §1 warns of.
 */
export async function GET(_request: Request, context: Context): Promise<Response> {
  const { name } = await readStore(database());
  return (await ownerOf(context)) ? pageAnswer(leavePage(name, 'ask')) : pageAnswer(leavePage(name, 'unknown'), 404);
}

/** Unsubscribes: from the page, or as the one-click request of a mail program (RFC 8058 §3.2). */
export async function POST(request: Request, context: Context): Promise<Response> {
  const db = database();
  const { name } = await readStore(db);
  const personId = await ownerOf(context);
  if (!personId) return pageAnswer(leavePage(name, 'unknown'), 404);
  const isOneClick = (await request.text().catch(() => '')).includes('List-Unsubscribe=One-Click');
  await unsubscribe(db, personId, isOneClick ? 'one-click unsubscribe in the mail program' : 'unsubscribe link in a message');
  return pageAnswer(leavePage(name, 'done', (await context.params).token));
}
