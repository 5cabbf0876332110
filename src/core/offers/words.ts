import { personalise, type Personal } from '../messages';
import type { Facts } from '../rules';
import { prefixOf, sayExpires } from './code';
import { sayTerms, type Offer } from './offer';

/** What placeholders can name of a code. */
export const offerWords = (code: string, offer: Offer, expiresAt: Date | null, zone: string): NonNullable<Personal['offer']> => ({
  code,
  expires: expiresAt ? sayExpires(expiresAt.getTime(), zone) : '',
  terms: sayTerms(offer),
});

/** What stands before the letters of a code for somebody: nothing where the prefix cannot be filled in. */
export function prefixFor(offer: Offer, attributes: Facts['attributes'], store: Personal['store']): string {
  if (!('prefix' in offer.code)) return '';
  try {
    return prefixOf(personalise(offer.code.prefix, { person: attributes, event: {}, store: { name: store.name, address: store.address } }));
  } catch {
    return '';
  }
}
