import type { Value } from '../rules';
import type { Message } from './message';
import type { Personal } from './personalise';
import { renderMessage, type Links, type Rendered } from './render';

/** A message filled in for somebody, or why that cannot be done. */
export function tryRender(message: Message, personal: Personal, links: Links): Rendered | { readonly problem: string } {
  try {
    return renderMessage(message, personal, links);
  } catch (error) {
    return { problem: `the message cannot be put together: ${(error as Error).message.split('\n')[0]!.slice(0, 200)}` };
  }
}

/** What placeholders can name, for a person. */
export function personalOf(
  attributes: { readonly [name: string]: Value },
  event: { readonly [name: string]: Value },
  store: Personal['store'],
  answers: NonNullable<Personal['answers']> = {},
  offer: Personal['offer'] = undefined,
): Personal {
  return { person: attributes, event, answers, ...(offer && { offer }), store: { name: store.name, address: store.address } };
}
