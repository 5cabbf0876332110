import type { Message } from '@/core/messages';
import type { Value } from '@/core/rules';
import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { createLetter } from '@/data/messages';
import { addJobs } from '@/data/work';

/** A service letter to a colleague: a few words, and a button that leads to `event.url`. */
export const noteLetter = (subject: string, text: string, label: string): Message => ({
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

export interface Note {
  /** the address it goes to */
  readonly to: string;
  readonly message: Message;
  readonly by: string | null;
  /** what the letter calls `event` */
  readonly about: { readonly url: string; readonly [name: string]: Value };
}

/** Hands notes to colleagues over to be mailed, in the transaction of what they tell of. */
export async function mailNotes(trx: Sql, notes: readonly Note[], at: Instant): Promise<void> {
  const letters: { id: string }[] = [];
  for (const { to, message, by, about } of notes)
    letters.push({
      id: await createLetter(trx, { personId: null, address: to, purpose: 'note', kind: 'service', message, by, at, about }),
    });
  await addJobs(trx, 'letter', letters, 15);
}
