import { renderMessage, type Message, type Rendered } from '../messages';

/** A message for somebody of whom nothing is known, about nothing in particular. */
export const tryFill = (message: Message): Rendered =>
  renderMessage(
    message,
    { person: {}, event: {}, store: { name: 'A shop', address: 'A street 1' } },
    { unsubscribeUrl: 'https://shop.example/leave', pixelUrl: null, track: (url) => url },
  );
