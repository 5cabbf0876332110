import type { Message } from '@/core/messages';
import type { Sql } from '@/data/db';
import { createLetter } from '@/data/messages';
import { readStore } from '@/data/store';
import { addJobs } from '@/data/work';

/** A service letter to a colleague: a few words, and a button that leads somewhere. */
export const note = (subject: string, text: string, label: string): Message => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'service',
  subject,
  preview: '',
  blocks: [
    { id: 'text', kind: 'text', text },
    { id: 'link', kind: 'button', label, url: '{{ event.url }}' },
  ],
});

/** Hands a note to a colleague over to be mailed, in the transaction of what it tells of. */
export async function mailNote(
  trx: Sql,
  of: { readonly email: string; readonly message: Message; readonly by: string; readonly url: string },
): Promise<void> {
  const { now } = await readStore(trx);
  const id = await createLetter(trx, {
    personId: null,
    address: of.email,
    purpose: 'note',
    kind: 'service',
    message: of.message,
    by: of.by,
    at: now,
    about: { by: of.by, url: of.url },
  });
  await addJobs(trx, 'letter', [{ id }], 15);
}

const IF_NOT_YOU =
  'If that was you, there is nothing to do. If it was not, choose another password at once, and tell an owner of the store.';
const CHANGES = {
  password: note(
    'Your password for {{ store.name }} was changed',
    `Your password was changed a moment ago. ${IF_NOT_YOU}`,
    'Choose another',
  ),
  'second-on': note(
    'A second factor is asked for when you sign in to {{ store.name }}',
    `From now on a code is asked for beside your password. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
  'second-off': note(
    'The second factor for {{ store.name }} was turned off',
    `From now on your password alone is enough to sign in as you. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
  'code-used': note(
    'A code for when the device is lost was used at {{ store.name }}',
    `Somebody signed in as you by your password and one of these codes, which is used up now. ${IF_NOT_YOU}`,
    'Choose another password',
  ),
} as const;

/** Tells somebody by mail that the way in to their account has changed, so that they notice when it was not them. */
export const tellOfChange = (trx: Sql, user: { email: string; name: string }, what: keyof typeof CHANGES, url: string): Promise<void> =>
  mailNote(trx, { email: user.email, message: CHANGES[what], by: user.name, url: `${url}/forgot` });
