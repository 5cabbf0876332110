import * as z from 'zod';
import { messageSchema, textsOf, type Email } from './message';

/** What the link that confirms is called in a letter that asks for it. */
const CONFIRM_LINK = /\{\{\s*event\.confirmUrl\s*\}\}/;

/** A letter that asks somebody to confirm their address: a service message by mail, in which the link that does so stands. */
export const confirmLetterSchema = messageSchema.transform((message, context): Email => {
  if (message.channel !== 'email') {
    context.addIssue({ code: 'custom', message: 'must be an email' });
    return z.NEVER;
  }
  if (message.kind !== 'service') context.addIssue({ code: 'custom', path: ['kind'], message: 'must be service: it is asked for' });
  if (!textsOf(message).some((text) => CONFIRM_LINK.test(text)))
    context.addIssue({
      code: 'custom',
      path: ['blocks'],
      message: 'has no link that confirms: let a button lead to {{ event.confirmUrl }}',
    });
  return message;
});

/** What such a letter is given where it is only shown. */
export const CONFIRM_SAMPLE = { confirmUrl: 'https://store.example/confirm' } as const;

/** A letter that asks for it in the program's own words, to be used as it is or changed. */
export const confirmLetter = (subject: string, text: string): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'service',
  subject: subject.replace(/[\r\n]+/g, ' '),
  preview: '',
  blocks: [
    { id: 'text', kind: 'text', text: verbatim(text) },
    { id: 'confirm', kind: 'button', label: 'Yes, it was me', url: '{{ event.confirmUrl }}' },
    { id: 'else', kind: 'text', text: 'If you did not ask for this, do nothing: nothing more will come.' },
  ],
});

/** The letter that asks for a list, in the program's own words. */
export const listLetter = (storeName: string, listName: string): Email =>
  confirmLetter(
    `${storeName}: do you want “${listName}”?`,
    `We were asked to put you on our list “${listName}”. Press the button so that we know it was you.`,
  );

/** A text in which nothing is taken for a placeholder. */
const verbatim = (text: string): string => (text.includes('{') ? `{% raw %}${text.replaceAll('{%', '{ %')}{% endraw %}` : text);
