import { env } from '@/server/base';
import { publicRoute } from '@/server/door';
import { noteTouch, openLink } from '@/server/messages';

export const dynamic = 'force-dynamic';
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');
const pixel = (): Response => new Response(PIXEL, { headers: { 'content-type': 'image/gif', 'cache-control': 'no-store' } });

/** The picture at the end of a message, by which its opening is seen. Whatever goes wrong, it is a picture. */
export const GET = publicRoute(async ({ db, params, request }) => {
  const link = openLink(env().secret, params.token!, 'open');
  if (link) await noteTouch(db, link, 'message.opened', request.headers.get('user-agent'));
  return pixel();
}, pixel);
