import { env } from '@/server/env';
import { Problem } from '@/server/http/problem';
import { publicRoute } from '@/server/http/route';
import { openLink } from '@/server/links';
import { leadOn, problemText } from '@/server/publicpage';
import { withProof } from '@/server/sources';
import { noteTouch } from '@/server/touch';

export const dynamic = 'force-dynamic';

/** A link in a message: counts the click and leads on. Only links that we sealed lead anywhere. A page of the shop learns who came, under our seal. */
export const GET = publicRoute(async ({ db, scope, params }) => {
  const link = openLink(env().secret, params.token!, 'click');
  if (!link?.url || !URL.canParse(link.url)) throw new Problem(404, 'Not complete', 'This link is not complete. Open it from the message again.');
  await noteTouch(db, scope, link, 'message.clicked');
  return leadOn(await withProof(db, link.url, link));
}, problemText);
