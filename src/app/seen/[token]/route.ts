import { database } from '@/server/database';
import { env } from '@/server/env';
import { openLink } from '@/server/links';
import { noteTouch } from '@/server/touch';

export const dynamic = 'force-dynamic';
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');

/** The picture at the end of a message, by which its opening is seen. */
export async function GET(_request: Request, { params }: { params: Promise<{ token: string }> }): Promise<Response> {
  const link = openLink(env().secret, (await params).token, 'open');
  if (link) await noteTouch(database(), env().databaseUrl, link, 'message.opened');
  return new Response(PIXEL, { headers: { 'content-type': 'image/gif', 'cache-control': 'no-store' } });
}
