import { headOf, personalise, textsOf, type Message, type Personal } from '../messages';

const NOBODY: Personal = { person: {}, event: {}, store: { name: 'A shop', address: 'A street 1' } };

/** The words of a message for somebody of whom nothing is known, about nothing in particular. */
export const tryFill = (message: Message): { readonly subject: string; readonly text: string } => ({
  subject: personalise(headOf(message), NOBODY),
  text: textsOf(message)
    .map((text) => personalise(text, NOBODY))
    .join('\n'),
});
