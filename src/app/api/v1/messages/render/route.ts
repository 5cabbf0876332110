import { env } from '@/server/base';
import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { renderAs } from '@/server/letters';

export const dynamic = 'force-dynamic';
/** Shows a message as somebody would get it; where there are stand-ins, links to them are tried. */
export const POST = route(async ({ db, request }) => {
  const { url, outsideUrl } = env();
  return json(await renderAs(db, await readJson(request), outsideUrl ? `${url}/outside` : null));
}, 'read');
