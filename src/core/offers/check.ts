import * as z from 'zod';
import { allocate, sayMoney, toMinor, type Money } from '../money';
import type { Instant } from '../time';
import { sayAmount, sayGives, type Offer } from './offer';

const item = z.object({
  sku: z.string().max(120).optional(),
  name: z.string().max(500).optional(),
  quantity: z.number().min(0).max(1e6).default(1),
  price: z.number().min(0).max(1e9),
  categories: z.array(z.string().max(120)).max(50).optional(),
  category: z.string().max(120).optional(),
});
/** A cart as a shop asks with it: what is in it, in major units of its currency. */
export const askedCartSchema = z.object({
  currency: z.string(),
  value: z.number().min(0).max(1e9).optional(),
  items: z.array(item).max(1000).default([]),
  /** other codes that are on it already */
  codes: z.array(z.string().max(80)).max(20).default([]),
});
export type AskedCart = z.infer<typeof askedCartSchema>;

/** A code as it stands. */
export interface CodeState {
  readonly offer: Offer;
  readonly isArchived: boolean;
  readonly issuedAt: Instant | null;
  readonly expiresAt: Instant | null;
  readonly usedAt: Instant | null;
  /** whether whoever asks is whom it belongs to; null where nobody was named */
  readonly isTheirs: boolean | null;
}

/** Why a code does not count. */
export type Refused = 'unknown' | 'expired' | 'used' | 'not-theirs' | 'currency' | 'minimum' | 'nothing' | 'other-code';

/** What a code comes to on a cart. */
export interface Checked {
  readonly valid: boolean;
  /** why not, where it is not valid */
  readonly why: Refused | null;
  /** in words, either way */
  readonly because: string;
  readonly discount: Money;
  /** of each line of the cart, in minor units; they sum to the discount */
  readonly lines: readonly number[];
  readonly freeShipping: boolean;
  readonly gift: { readonly sku: string; readonly name: string } | null;
}

/**
 * What a code takes off a cart at a moment, or why it does not count. A share is rounded to the minor unit once, over all lines it
 * is taken of, halves up; the lines get their parts by largest remainder, so that they sum to it.
 */
export function checkCode(state: CodeState | null, cart: AskedCart, now: Instant, sayDay: (at: Instant) => string): Checked {
  const currency = state?.offer.currency ?? cart.currency;
  const none = cart.items.map(() => 0);
  const refuse = (why: Refused, because: string): Checked => ({
    valid: false,
    why,
    because,
    discount: { currency, minor: 0 },
    lines: none,
    freeShipping: false,
    gift: null,
  });
  if (!state || state.issuedAt === null) return refuse('unknown', 'There is no such code.');
  const { offer } = state;
  if (state.usedAt !== null) return refuse('used', 'This code has been used.');
  if (state.expiresAt !== null && now >= state.expiresAt) return refuse('expired', `This code counted up to ${sayDay(state.expiresAt)}.`);
  if (state.isTheirs === false) return refuse('not-theirs', 'This code belongs to somebody else.');
  if (cart.currency !== offer.currency) return refuse('currency', `This code counts in ${offer.currency} only.`);
  if (!offer.combines && cart.codes.length) return refuse('other-code', 'This code does not go together with another.');
  const worth = cart.items.map(({ price, quantity }) => Math.round(toMinor(price, currency) * quantity));
  const total = cart.items.length ? worth.reduce((a, b) => a + b, 0) : toMinor(cart.value ?? 0, currency);
  if (offer.minimum !== undefined && total < toMinor(offer.minimum, currency)) {
    const missing = toMinor(offer.minimum, currency) - total;
    return refuse(
      'minimum',
      `This code counts from ${sayAmount(offer.minimum, currency)} up: ${sayMoney({ currency, minor: missing })} more.`,
    );
  }
  const { only, gives } = offer;
  const isMeant = (one: AskedCart['items'][number]) =>
    !only ||
    (one.sku !== undefined && only.products.includes(one.sku)) ||
    [...(one.categories ?? []), ...(one.category === undefined ? [] : [one.category])].some((each) => only.categories.includes(each));
  const weights = cart.items.map((one, index) => (isMeant(one) ? worth[index]! : 0));
  const base = cart.items.length ? weights.reduce((a, b) => a + b, 0) : only ? 0 : total;
  if (base <= 0) return refuse('nothing', only ? 'This code does not count for anything in the cart.' : 'There is nothing in the cart.');
  const minor =
    gives.kind === 'percent'
      ? Math.floor((base * Math.round(gives.percent * 100) + 5000) / 10_000)
      : gives.kind === 'amount'
        ? Math.min(base, toMinor(gives.amount, currency))
        : 0;
  return {
    valid: true,
    why: null,
    because: `${sayGives(offer)}.`,
    discount: { currency, minor },
    lines: cart.items.length && minor ? allocate(minor, weights) : none,
    freeShipping: gives.kind === 'shipping',
    gift: gives.kind === 'gift' ? { sku: gives.sku, name: gives.name } : null,
  };
}
