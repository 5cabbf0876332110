import type { Value } from '../rules';
import type { Personal } from './personalise';

/** What placeholders can name, for a person. */
export function personalOf(
  attributes: { readonly [name: string]: Value },
  event: { readonly [name: string]: Value },
  store: Personal['store'],
  answers: NonNullable<Personal['answers']> = {},
  offer: Personal['offer'] = undefined,
  holds: readonly string[] = [],
): Personal {
  return {
    person: attributes,
    event,
    answers,
    ...(offer && { offer }),
    ...(holds.length && { holds: Object.fromEntries(holds.map((id) => [id, true as const])) }),
    store: { name: store.name, address: store.address, ...(store.languages && { languages: store.languages }) },
  };
}
