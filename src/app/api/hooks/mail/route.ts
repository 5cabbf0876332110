import { mailReport } from '@/server/mailhook';
import { readRaw } from '@/server/http/read';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';

/** What the mail provider reports of messages: signed by the Standard Webhooks scheme. */
export const POST = route(async ({ db, scope, request }) => {
  await mailReport(db, scope, request.headers, await readRaw(request, 100_000));
  return json({ ok: true });
}, 'anyone');
