import { Webhook } from 'standardwebhooks';
import { z } from 'zod';
import type { Db } from '@/data/db';
import { personOfSend } from '@/data/sends';
import { sendOfMessageId } from './dispatch';
import { env } from './env';
import { Problem, problemsOf } from './http/problem';
import { recordOwn } from './ingest/ingest';
import { noteSoftBounce, suppressPerson } from './consent';

const schema = z.looseObject({ type: z.enum(['message.delivered', 'message.bounced', 'message.complained']), messageId: z.string().max(500), reason: z.string().max(500).optional(), class: z.enum(['hard', 'soft']).optional() });

/** Takes a signed report of the mail provider in. A forged one, or one older than five minutes, is refused. */
export async function mailReport(db: Db, scope: string, headers: Headers, raw: string): Promise<void> {
  let payload: unknown;
  try {
    payload = new Webhook(env().mailHookSecret).verify(raw, Object.fromEntries(headers));
  } catch {
    throw new Problem(401, 'Not signed', 'The signature is missing, wrong or too old (Standard Webhooks: webhook-id, webhook-timestamp, webhook-signature).');
  }
  const report = schema.safeParse(payload);
  if (!report.success) throw new Problem(422, 'Not a report', 'The report was not taken.', problemsOf(report.error));
  const { type, messageId, reason, class: severity } = report.data;
  const sendId = sendOfMessageId(messageId);
  const personId = sendId ? await personOfSend(db, sendId) : null;
  if (!sendId || !personId) throw new Problem(404, 'Not found', 'There is no message with this Message-ID.');
  await recordOwn(db, scope, { personId, type, eventId: `${type}/${sendId}`, properties: { sendId, ...(reason && { reason }), ...(severity && { class: severity }) } });
  // a soft bounce says that the mailbox is full or away: only several in a row put the address out of use
  if (type === 'message.bounced') await (severity === 'soft' ? noteSoftBounce(db, personId) : suppressPerson(db, personId, 'bounced'));
  if (type === 'message.complained') await suppressPerson(db, personId, 'complained');
}
