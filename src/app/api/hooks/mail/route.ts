import { mailReport } from '@/server/messages';
import { readRaw } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';

/** What the mail provider reports of messages: signed by the Standard Webhooks scheme. */
export const POST = route(async ({ db, request }) => {
  await mailReport(db, request.headers, await readRaw(request, 100_000));
  return json({ ok: true });
}, 'anyone');
