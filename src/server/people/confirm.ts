import { createHash, randomBytes } from 'node:crypto';
import { listLetter, type Email } from '@/core/messages';
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
export async function sendConfirmation(trx: Sql, email: string, message: Email, token: string, now: number): Promise<void> {
  const id = await createLetter(trx, {
    personId: await ownerOfIdentifier(trx, { kind: 'email', value: email }),
    address: email,
    purpose: 'confirm',
    kind: 'service',
    message,
    by: null,
    at: now,
    about: { confirmUrl: `${env().url}/confirm/${token}` },
  });
  await addJobs(trx, 'letter', [{ id }], 15);
}

/** Asks somebody by mail to confirm that they want to be on a list. */
export async function askForList(
  trx: Sql,
  list: { key: string; name: string; confirmation: Email | null },
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
  await sendConfirmation(trx, email, list.confirmation ?? listLetter(storeName, list.name), token, now);
}
