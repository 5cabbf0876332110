import { database } from '@/server/database';
import { env } from '@/server/env';
import { openLink } from '@/server/links';
import { noteTouch } from '@/server/touch';

export const dynamic = 'force-dynamic';

/** A link in a message: counts the click and leads on. Only links that we sealed lead anywhere. */
export async function GET(_request: Request, { params }: { params: Promise<{ token: string }> }): Promise<Response> {
  const link = openLink(env().secret, (await params).token, 'click');
  if (!link?.url) return new Response('This link is not complete. Open it from the message again.', { status: 404, headers: { 'content-type': 'text/plain; charset=utf-8' } });
  await noteTouch(database(), env().databaseUrl, link, 'message.clicked');
  return new Response(null, { status: 302, headers: { location: link.url, 'cache-control': 'no-store', 'referrer-policy': 'no-referrer' } });
}
