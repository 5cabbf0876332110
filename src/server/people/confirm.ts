import { createHash, randomBytes } from 'node:crypto';
import type { Message } from '@/core/messages';
import { DAY } from '@/core/time';
import type { Sql } from '@/data/db';
import { createLetter } from '@/data/messages';
import { ownerOfIdentifier } from '@/data/people';
import { askConfirmation, askedSince } from '@/data/public';
import { addJobs } from '@/data/work';
import { env } from '../base';

/** What is kept of the token of a confirmation link. */
export const digestOf = (token: string): string => createHash('sha256').update(`confirm:${token}`).digest('hex');

/** Sends the mail with the link that confirms. */
export async function sendConfirmation(trx: Sql, email: string, subject: string, text: string, token: string, now: number): Promise<void> {
  const message: Message = {
    schema: 'viatic.message/1',
    channel: 'email',
    kind: 'service',
    subject: subject.replace(/[\r\n]+/g, ' '),
    preview: '',
    blocks: [
      { id: 'text', kind: 'text', text: verbatim(text) },
      { id: 'confirm', kind: 'button', label: 'Yes, it was me', url: `${env().url}/confirm/${token}` },
      { id: 'else', kind: 'text', text: 'If you did not ask for this, do nothing: nothing more will come.' },
    ],
  };
  const id = await createLetter(trx, {
    personId: await ownerOfIdentifier(trx, { kind: 'email', value: email }),
    address: email,
    purpose: 'confirm',
    kind: 'service',
    message,
    by: null,
    at: now,
  });
  await addJobs(trx, 'letter', [{ id }], 15);
}

/** Asks somebody by mail to confirm that they want to be on a list. */
export async function askForList(
  trx: Sql,
  list: { key: string; name: string },
  email: string,
  storeName: string,
  now: number,
): Promise<void> {
  if ((await askedSince(trx, email, now - DAY)) >= 3) return;
  const token = randomBytes(24).toString('base64url');
  await askConfirmation(trx, {
    digest: digestOf(token),
    what: 'list',
    about: list.key,
    email,
    data: {},
    at: now,
    expiresAt: now + 7 * DAY,
  });
  await sendConfirmation(
    trx,
    email,
    `${storeName}: do you want “${list.name}”?`,
    `We were asked to put you on our list “${list.name}”. Press the button so that we know it was you.`,
    token,
    now,
  );
}

/** A text in which nothing is taken for a placeholder. */
const verbatim = (text: string): string => (text.includes('{') ? `{% raw %}${text.replaceAll('{%', '{ %')}{% endraw %}` : text);
