import { shortLink } from '@/data/messages';
import { Problem } from '@/server/http';
import { publicRoute } from '@/server/door';
import { noteTouch } from '@/server/messages';
import { leadOn, problemText } from '@/server/public';
import { withProof } from '@/server/sources';

export const dynamic = 'force-dynamic';

/** A short link in a text message: counts the click and leads on. */
export const GET = publicRoute(async ({ db, params, request }) => {
  const link = await shortLink(db, params.code!.slice(0, 40));
  if (!link) throw new Problem(404, 'Not complete', 'This link is not complete. Open it from the message again.');
  const token = { purpose: 'click' as const, personId: link.person_id, sendId: link.send_id, url: link.url };
  await noteTouch(db, token, 'message.clicked', request.headers.get('user-agent'));
  return leadOn(await withProof(db, link.url, token));
}, problemText);
