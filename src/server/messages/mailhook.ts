import * as z from 'zod';
import type { Db } from '@/data/db';
import { aboutSend, noteLetter } from '@/data/messages';
import { mailOfMessageId } from './dispatch';
import { env } from '../base';
import { Problem } from '../http';
import { readSigned, verifySigned } from './signed';
import { readStandardReport, type StandardReport } from './standard';
import { recordOwn } from '../ingest';
import { noteSoftBounce, suppressAddress, suppressPerson } from '../people';

const schema = z.looseObject({
  type: z.enum(['message.delivered', 'message.bounced', 'message.complained']),
  messageId: z.string().max(500),
  reason: z.string().max(500).optional(),
  class: z.enum(['hard', 'soft']).optional(),
});

/** Takes a signed report of the mail provider in. A forged one, or one older than five minutes, is refused. */
export async function mailReport(db: Db, headers: Headers, raw: string): Promise<void> {
  const { type, messageId, reason, class: severity } = readSigned(env().mailHookSecret, headers, raw, schema);
  return takeReport(db, { type, messageId, ...(reason && { reason }), ...(severity && { class: severity }) });
}

/**
 * Takes a mail in that reports of a mail of ours in standard form (RFC 3464, RFC 5965), handed on by whoever receives our mail and
 * signed like any report. Any other mail is taken and does nothing: answers whether it was one.
 */
export async function mailReceived(db: Db, headers: Headers, raw: string): Promise<boolean> {
  verifySigned(env().mailHookSecret, headers, raw);
  const report = await readStandardReport(raw);
  if (report) await takeReport(db, report);
  return report !== null;
}

async function takeReport(db: Db, { type, messageId, reason, class: severity }: StandardReport): Promise<void> {
  const mail = mailOfMessageId(messageId);
  const letter =
    mail?.what === 'letter'
      ? await noteLetter(db, mail.id, type === 'message.delivered' ? 'delivered' : type === 'message.bounced' ? 'bounced' : null)
      : null;
  const send = mail?.what === 'send' ? await aboutSend(db, mail.id) : null;
  const personId = send?.person_id ?? letter?.person_id ?? null;
  if (!mail || (!letter && !personId)) throw new Problem(404, 'Not found', 'There is no message with this Message-ID.');
  const about: Record<string, string> = send
    ? { sendId: mail.id, flow: send.flow, step: send.step, channel: send.channel }
    : { letterId: mail.id, channel: 'email' };
  if (personId)
    await recordOwn(db, {
      personId,
      type,
      eventId: `${type}/${mail.what === 'send' ? mail.id : messageId}`,
      properties: { ...about, ...(reason && { reason }), ...(severity && { class: severity }) },
    });
  if (type === 'message.delivered') return;
  // a soft bounce says that the mailbox is full or away: only several in a row put the address out of use
  if (type === 'message.bounced' && severity === 'soft') {
    if (personId) await noteSoftBounce(db, personId);
    return;
  }
  const why = type === 'message.bounced' ? 'bounced' : 'complained';
  // a letter may have gone to an address of nobody on file
  await (letter ? suppressAddress(db, letter.address, why) : suppressPerson(db, personId!, why));
}
