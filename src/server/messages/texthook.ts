import * as z from 'zod';
import { wishOf } from '@/core/messages';
import { normalisePhone } from '@/core/people';
import type { Channel } from '@/core/rules';
import { inTransaction, type Db } from '@/data/db';
import { aboutSend } from '@/data/messages';
import { liftSuppression, ownerOfIdentifier, suppress } from '@/data/people';
import { readStore } from '@/data/store';
import { env } from '../base';
import { Problem } from '../http';
import { readSigned } from './signed';
import { recordOwn } from '../ingest';
import { changeConsent, suppressPerson } from '../people';

const schema = z.discriminatedUnion('type', [
  z.looseObject({
    type: z.enum(['message.delivered', 'message.bounced', 'message.opened']),
    id: z.string().regex(/^send-\d{1,18}$/),
    reason: z.string().max(500).optional(),
  }),
  z.looseObject({ type: z.literal('text.received'), id: z.string().min(1).max(200), from: z.string().max(40), text: z.string().max(2000) }),
]);

/**
 * Takes in what a gateway says, signed: what became of a text message or of one for a locked screen, and what somebody has answered.
 * STOP is their own word: no more texts; START takes it back. Anything else is told as an event of theirs.
 */
export async function textReport(db: Db, headers: Headers, raw: string): Promise<void> {
  const report = readSigned(env().textHookSecret, headers, raw, schema);
  if (report.type === 'text.received') return answered(db, report);
  const { type, id, reason } = report;
  const sendId = id.slice('send-'.length);
  const send = await aboutSend(db, sendId);
  if (!send) throw new Problem(404, 'Not found', 'There is no message with this id.');
  const { person_id: personId, flow, step, channel } = send;
  await recordOwn(db, {
    personId,
    type,
    eventId: `${type}/${sendId}`,
    properties: { sendId, flow, step, channel, ...(reason && { reason }) },
  });
  if (type === 'message.bounced') await suppressPerson(db, personId, 'bounced', { channel });
}

async function answered(db: Db, { id, from, text }: { id: string; from: string; text: string }): Promise<void> {
  const phone = normalisePhone(from, null);
  if (phone === null)
    throw new Problem(422, 'Not a number', 'The answer was not taken.', [
      { field: 'from', wrong: 'is no phone number', right: 'in its international form, such as +31612345678' },
    ]);
  const personId = await ownerOfIdentifier(db, { kind: 'phone', value: phone });
  const wish = wishOf(text);
  const channel: Channel = 'sms';
  if (personId === null) {
    // a number of nobody on file is left alone all the same
    if (wish)
      await inTransaction(db, async (trx) => {
        const { now } = await readStore(trx);
        await (wish === 'stop'
          ? suppress(trx, channel, phone, 'unsubscribed', now)
          : liftSuppression(trx, channel, phone, ['unsubscribed']));
      });
    return;
  }
  if (wish) {
    const state = wish === 'stop' ? 'withdrawn' : 'given';
    await changeConsent(db, personId, {
      channels: { sms: state },
      detail: { how: `answered ${wish.toUpperCase()} by SMS` },
      isOwnWord: true,
    });
    return;
  }
  await recordOwn(db, { personId, type: 'message.answered', eventId: `message.answered/${id}`, properties: { channel, text } });
}
