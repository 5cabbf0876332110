import { env } from '@/server/env';
import { publicRoute } from '@/server/http/route';
import { openLink } from '@/server/links';
import { noteTouch } from '@/server/touch';

export const dynamic = 'force-dynamic';
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');
const pixel = (): Response => new Response(PIXEL, { headers: { 'content-type': 'image/gif', 'cache-control': 'no-store' } });

/** The picture at the end of a message, by which its opening is seen. Whatever goes wrong, it is a picture. */
export const GET = publicRoute(async ({ db, scope, params }) => {
  const link = openLink(env().secret, params.token!, 'open');
  if (link) await noteTouch(db, scope, link, 'message.opened');
  return pixel();
}, pixel);
