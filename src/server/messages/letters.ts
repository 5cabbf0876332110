import { letterInput } from '@/core/api';
import { addressOf } from '@/core/rules';
import { messageSchema, notSentBecause, personalOf, tryRender, type Message } from '@/core/messages';
import { inTransaction, type Db } from '@/data/db';
import { addJobs } from '@/data/work';
import { createLetter, leaveLetter, settleLetter, takeLetter } from '@/data/messages';
import { readStore, recordAct } from '@/data/store';
import { holderOf, messageIdOf, type Dispatch } from './dispatch';
import { Problem, problemsOf } from '../http';
import { sealLink } from './links';
import { nameOf, person } from '../people';

/** Carries a letter out: taken in hand, looked at once more, rendered, handed over, noted. No transaction stands open while the mail server is talked to. */
export async function sendLetter(context: Dispatch, id: string, isLastTry: boolean): Promise<void> {
  const { db } = context;
  const letter = await takeLetter(db, id, holderOf(context));
  if (!letter) return;
  const store = await readStore(db);
  const reason =
    letter.kind === 'marketing'
      ? letter.reach
        ? notSentBecause(letter.message, letter.reach.email, letter.declined, store.now)
        : 'the person is no longer on file'
      : null;
  if (reason) return settleLetter(db, id, 'skipped', store.now, reason);
  const unsubscribeUrl = letter.person_id
    ? `${context.url}/leave/${sealLink(context.secret, { purpose: 'prefs', personId: letter.person_id, sendId: '0' })}`
    : '';
  const rendered = tryRender(letter.message, personalOf(letter.attributes, letter.about, store), {
    unsubscribeUrl,
    ...(unsubscribeUrl && { preferencesUrl: unsubscribeUrl.replace('/leave/', '/prefs/') }),
    pixelUrl: null,
    track: (url) => url,
  });
  if ('problem' in rendered) return settleLetter(db, id, 'failed', store.now, rendered.problem);
  try {
    const handed = await (context.urgentMailer ?? context.mailer).send({
      ...rendered,
      from: { name: store.name, address: store.fromEmail },
      to: { name: (nameOf(letter.attributes) ?? '').replace(/[\r\n]+/g, ' '), address: letter.address },
      messageId: messageIdOf('letter', id, store.fromEmail),
      date: new Date(store.now),
      unsubscribeUrl: letter.kind === 'marketing' ? unsubscribeUrl : null,
    });
    await settleLetter(db, id, handed.taken ? 'sent' : 'failed', store.now, handed.taken ? null : handed.reason);
  } catch (error) {
    if (isLastTry) return settleLetter(db, id, 'failed', store.now, 'gave up: the mail server did not take it');
    await leaveLetter(db, id);
    throw error;
  }
}

/** Writes to one person by hand. Marketing goes only to who can be written to; the answer says when it will not go. */
export async function writeTo(db: Db, id: string, body: unknown, by: string): Promise<void> {
  const parsed = letterInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a message', 'Nothing was sent.', problemsOf(parsed.error));
  const row = await person(db, id);
  const address = addressOf('email', row.attributes);
  if (!address) throw new Problem(422, 'No address', 'There is no email address on file for this person.');
  const { kind, subject, text } = parsed.data;
  const message: Message = {
    schema: 'viatic.message/1',
    channel: 'email',
    kind,
    subject,
    preview: '',
    blocks: [{ id: 'text', kind: 'text', text }],
  };
  const checked = messageSchema.safeParse(message);
  if (!checked.success) throw new Problem(422, 'Not a message', 'Nothing was sent.', problemsOf(checked.error));
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const letterId = await createLetter(trx, { personId: row.id, address, purpose: 'by-hand', kind, message: checked.data, by, at: now });
    await addJobs(trx, 'letter', [{ id: letterId }], 15);
    await recordAct(trx, now, by, 'letter.written', { person: row.id, letter: letterId });
  });
}
