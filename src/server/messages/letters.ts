import { composedInput, letterInput } from '@/core/api';
import { addressOf } from '@/core/rules';
import { checkMessage, messageSchema, notSentBecause, personalOf, plainLetter } from '@/core/messages';
import { inTransaction, type Db } from '@/data/db';
import { addJobs } from '@/data/work';
import { createLetter, leaveLetter, settleLetter, takeLetter } from '@/data/messages';
import { readStore, recordAct } from '@/data/store';
import { holderOf, messageIdOf, type Dispatch } from './dispatch';
import { attachedTo } from './attached';
import { Problem, problemsOf } from '../http';
import { downloadLink, sealLink } from './links';
import { findForLetters, readBrands, readSenders, tryRender } from '../letters';
import { nameOf, person } from '../people';

/** Carries a letter out: taken in hand, looked at once more, rendered, handed over, noted. No transaction stands open while the mail server is talked to. */
export async function sendLetter(context: Dispatch, id: string, isLastTry: boolean): Promise<void> {
  const { db } = context;
  const letter = await takeLetter(db, id, holderOf(context));
  if (!letter) return;
  const store = await readStore(db);
  const reason =
    letter.kind === 'marketing' && letter.purpose !== 'test'
      ? letter.reach
        ? notSentBecause(letter.message, letter.reach.email, letter.declined, store.now)
        : 'the person is no longer on file'
      : null;
  if (reason) return settleLetter(db, id, 'skipped', store.now, reason);
  const unsubscribeUrl = letter.person_id
    ? `${context.url}/leave/${sealLink(context.secret, { purpose: 'prefs', personId: letter.person_id, sendId: '0' })}`
    : letter.purpose === 'test'
      ? `${context.url}/leave/tried-out`
      : '';
  const { message, filled } = letter;
  const links = {
    unsubscribeUrl,
    ...(unsubscribeUrl && { preferencesUrl: unsubscribeUrl.replace('/leave/', '/prefs/') }),
    pixelUrl: null,
    track: (url: string) => url,
    download: downloadLink(context, null, store.now),
  };
  const [found] =
    message.channel === 'email'
      ? await findForLetters(
          db,
          [{ personId: letter.person_id ?? letter.filled?.person ?? null, email: message, about: letter.about }],
          store.now,
        )
      : [];
  const rendered = await tryRender(
    message,
    personalOf(letter.attributes, letter.about, store, filled?.answers, filled?.offer, filled?.holds),
    links,
    {
      brands: await readBrands(db, store.name),
      found,
    },
  );
  if ('problem' in rendered) return settleLetter(db, id, 'failed', store.now, rendered.problem);
  const attached = message.channel === 'email' ? await attachedTo(db, message) : { attachments: [] };
  if ('problem' in attached) return settleLetter(db, id, 'failed', store.now, attached.problem);
  try {
    const handed = await (context.urgentMailer ?? context.mailer).send({
      ...rendered,
      from: (message.channel === 'email' && message.sender !== undefined && (await readSenders(db)).get(message.sender)) || {
        name: store.name,
        address: store.fromEmail,
      },
      to: { name: (nameOf(letter.attributes) ?? '').replace(/[\r\n]+/g, ' '), address: letter.address },
      messageId: messageIdOf('letter', id, store.fromEmail),
      date: new Date(store.now),
      unsubscribeUrl: letter.kind === 'marketing' && letter.person_id ? unsubscribeUrl : null,
      ...(message.channel === 'email' && message.replyTo && { replyTo: message.replyTo }),
      attachments: attached.attachments,
    });
    await settleLetter(db, id, handed.taken ? 'sent' : 'failed', store.now, handed.taken ? null : handed.reason);
  } catch (error) {
    if (isLastTry) return settleLetter(db, id, 'failed', store.now, 'gave up: the mail server did not take it');
    await leaveLetter(db, id);
    throw error;
  }
}

/**
 * Writes to one person by hand: a few words, or a letter with all its parts. Marketing goes only to who can be written to; the
 * answer says when it will not go.
 */
export async function writeTo(db: Db, id: string, body: unknown, by: string): Promise<void> {
  const isComposed = typeof body === 'object' && body !== null && 'message' in body;
  const parsed = isComposed ? composedInput.safeParse(body) : letterInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a message', 'Nothing was sent.', problemsOf(parsed.error));
  const row = await person(db, id);
  const address = addressOf('email', row.attributes);
  if (!address) throw new Problem(422, 'No address', 'There is no email address on file for this person.');
  const checked = messageSchema.safeParse('message' in parsed.data ? parsed.data.message : plainLetter(parsed.data));
  if (!checked.success) throw new Problem(422, 'Not a message', 'Nothing was sent.', problemsOf(checked.error));
  if (checked.data.channel !== 'email') throw new Problem(422, 'Not a letter', 'Only email is written by hand. Nothing was sent.');
  const [stop] = checkMessage(checked.data).filter(({ level }) => level === 'stops');
  if (isComposed && stop) throw new Problem(422, 'Something is to be mended', `${stop.says}. ${stop.mend} Nothing was sent.`);
  const { kind } = checked.data;
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const letterId = await createLetter(trx, { personId: row.id, address, purpose: 'by-hand', kind, message: checked.data, by, at: now });
    await addJobs(trx, 'letter', [{ id: letterId }], 15);
    await recordAct(trx, now, by, 'letter.written', { person: row.id, letter: letterId });
  });
}
