import { mailReceived } from '@/server/messages';
import { readRaw } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';

/** A mail that was sent to us, as it came: reports in standard form of mails of ours are taken in. Signed by the Standard Webhooks scheme. */
export const POST = route(async ({ db, request }) => {
  return json({ isReport: await mailReceived(db, request.headers, await readRaw(request, 1_000_000)) });
}, 'anyone');
