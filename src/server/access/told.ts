import type { Sql } from '@/data/db';
import { readStore } from '@/data/store';
import { mailNotes, noteLetter } from '../messages';

const IF_NOT_YOU =
  'If that was you, there is nothing to do. If it was not, choose another password at once, and tell an owner of the store.';
const CHANGES = {
  password: noteLetter(
    'Your password for {{ store.name }} was changed',
    `Your password was changed a moment ago. ${IF_NOT_YOU}`,
    'Choose another',
  ),
  'second-on': noteLetter(
    'A second factor is asked for when you sign in to {{ store.name }}',
    `From now on a code is asked for beside your password. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
  'second-off': noteLetter(
    'The second factor for {{ store.name }} was turned off',
    `From now on your password alone is enough to sign in as you. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
  'passkey-added': noteLetter(
    'A passkey for {{ store.name }} was added',
    `From now on a device that has it signs in as you without a password. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
  'passkey-removed': noteLetter(
    'A passkey for {{ store.name }} was removed',
    `It signs in as you no more. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
  'code-used': noteLetter(
    'A code for when the device is lost was used at {{ store.name }}',
    `Somebody signed in as you by your password and one of these codes, which is used up now. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
} as const;

/** Tells somebody by mail that the way in to their account has changed, so that they notice when it was not them. */
export async function tellOfChange(
  trx: Sql,
  user: { email: string; name: string },
  what: keyof typeof CHANGES,
  url: string,
): Promise<void> {
  const note = { to: user.email, message: CHANGES[what], by: user.name, about: { url: `${url}/forgot` } };
  await mailNotes(trx, [note], (await readStore(trx)).now);
}
