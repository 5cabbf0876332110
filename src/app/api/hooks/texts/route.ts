import { textReport } from '@/server/messages';
import { readRaw } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';

/** What gateways report of text messages, and what people answer: signed by the Standard Webhooks scheme. */
export const POST = route(async ({ db, request }) => {
  await textReport(db, request.headers, await readRaw(request, 100_000));
  return json({ ok: true });
}, 'anyone');
