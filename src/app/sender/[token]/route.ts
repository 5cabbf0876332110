import { env } from '@/server/base';
import { publicRoute } from '@/server/door';
import { confirmSender } from '@/server/letters';
import { openLink } from '@/server/messages';
import { e, pageAnswer, problemPage, publicPage } from '@/server/public';

export const dynamic = 'force-dynamic';

const UNKNOWN = () => pageAnswer(publicPage('Not complete', '<h1>This link is not complete</h1><p>Open it from the mail again.</p>'), 404);
/** Which sender a link is about: its key and the address that was asked. */
const senderOf = (token: string): [key: string, address: string] | null => {
  const [key, address] = openLink(env().secret, token, 'sender')?.url?.split(' ') ?? [];
  return key && address ? [key, address] : null;
};

/** Asks for the press of a button: a program that merely fetches the link confirms nothing. */
export const GET = publicRoute(async ({ params }) => {
  const sender = senderOf(params.token!);
  if (!sender) return UNKNOWN();
  return Promise.resolve(
    pageAnswer(
      publicPage(
        'Confirm',
        `<h1>May letters go out in the name of ${e(sender[1])}?</h1><form method="post"><button>Yes, use this address</button></form>`,
      ),
    ),
  );
}, problemPage);
export const POST = publicRoute(async ({ db, params }) => {
  const sender = senderOf(params.token!);
  if (!sender || !(await confirmSender(db, ...sender))) return UNKNOWN();
  return pageAnswer(publicPage('Confirmed', '<h1>Thank you</h1><p>Letters can go out in the name of this address now.</p>'));
}, problemPage);
