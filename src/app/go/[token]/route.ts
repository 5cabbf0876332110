import { env } from '@/server/base';
import { Problem } from '@/server/http';
import { publicRoute } from '@/server/door';
import { noteTouch, openLink } from '@/server/messages';
import { leadOn, problemText } from '@/server/public';
import { withProof } from '@/server/sources';

export const dynamic = 'force-dynamic';

/** A link in a message: counts the click and leads on. Only links that we sealed lead anywhere. A page of the shop learns who came, under our seal. */
export const GET = publicRoute(async ({ db, params, request }) => {
  const link = openLink(env().secret, params.token!, 'click');
  if (!link?.url || !URL.canParse(link.url))
    throw new Problem(404, 'Not complete', 'This link is not complete. Open it from the message again.');
  await noteTouch(db, link, 'message.clicked', request.headers.get('user-agent'));
  return leadOn(await withProof(db, link.url, link));
}, problemText);
