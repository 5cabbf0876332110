import * as z from 'zod';
import { durationSchema, ruleSchema } from '../rules';
import { currencyDigits, isCurrency, sayMoney, toMinor } from '../money';
import { addDuration, endOfDate, localDate, sayDuration, type Instant } from '../time';
import { placeholderProblem } from '../messages';
import { guardSchema } from './guard';

const positiveDuration = durationSchema.refine((text) => !/^P(T?0+[A-Z])+$/.test(text), 'must be longer than no time');
const amount = z.number().positive('must be above 0').max(1_000_000);
const entry = z.string().trim().min(1).max(120);

/** The key of an offer. */
export const offerKey = z.string().regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'is not the key of an offer; use a-z, 0-9 and -');

/** What an offer gives: a share of the cart, an amount, carriage, or something beside it. */
const givesSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('percent'), percent: z.number().positive('must be above 0').max(100) }),
  z.strictObject({ kind: z.literal('amount'), amount }),
  z.strictObject({ kind: z.literal('shipping') }),
  z.strictObject({ kind: z.literal('gift'), sku: entry, name: z.string().trim().min(1).max(120) }),
]);

const codeSchema = z.union([
  /** letters by lot behind a prefix, in which placeholders of the person may stand */
  z.strictObject({
    prefix: z
      .string()
      .trim()
      .max(120)
      .superRefine((text, ctx) => {
        const problem = placeholderProblem(text);
        if (problem) ctx.addIssue({ code: 'custom', message: problem });
      }),
    letters: z.int().min(6).max(12),
  }),
  /** codes that the shop has made, loaded from a file: each goes to one person */
  z.strictObject({ loaded: z.literal(true) }),
]);

/**
 * The terms of a discount, `viatic.offer/1`. Amounts are in major units of its currency; a code that is issued under it belongs to
 * one person.
 */
export const offerSchema = z
  .strictObject({
    schema: z.literal('viatic.offer/1'),
    name: z.string().trim().min(1, 'must not be empty').max(80),
    gives: givesSchema,
    currency: z.string().refine(isCurrency, 'is not a currency of ISO 4217'),
    /** the least that the cart comes to */
    minimum: amount.optional(),
    /** of which lines it is taken: with any of these; of all where it is left out */
    only: z
      .strictObject({ products: z.array(entry).max(200), categories: z.array(entry).max(200) })
      .refine(({ products, categories }) => products.length + categories.length > 0, 'names neither a product nor a category')
      .optional(),
    /** whether it goes together with other codes */
    combines: z.boolean(),
    /** how long a code counts: so long from its issue, or up to a day, counted in; for ever where it is null */
    expires: z
      .union([z.strictObject({ after: positiveDuration }), z.strictObject({ on: z.iso.date('is not a day such as 2026-12-24') })])
      .nullable(),
    /** how many codes are issued at most, and what they may cost in all before no more are */
    most: z
      .strictObject({ codes: z.int().min(1).max(100_000_000).optional(), discount: z.number().positive().max(100_000_000).optional() })
      .optional(),
    /** whether an order that is cancelled gives its code back */
    comesBack: z.boolean(),
    /** who may get it; everybody where it is null */
    who: ruleSchema.nullable(),
    guard: guardSchema,
    /** of whom it would go to, so many in a hundred get none by lot: what they do tells what the offer brings */
    holdout: z.int().min(1).max(50).optional(),
    code: codeSchema,
  })
  .superRefine(({ gives, currency, minimum }, ctx) => {
    const digits = currencyDigits(currency) ?? 2;
    const isWhole = (value: number) => Math.abs(value * 10 ** digits - Math.round(value * 10 ** digits)) < 1e-6;
    if (gives.kind === 'amount' && !isWhole(gives.amount))
      ctx.addIssue({ code: 'custom', path: ['gives', 'amount'], message: `has more than ${digits} decimals` });
    if (minimum !== undefined && !isWhole(minimum))
      ctx.addIssue({ code: 'custom', path: ['minimum'], message: `has more than ${digits} decimals` });
    if (gives.kind === 'amount' && minimum !== undefined && minimum < gives.amount)
      ctx.addIssue({ code: 'custom', path: ['minimum'], message: 'is less than what the offer takes off' });
  });
export type Offer = z.infer<typeof offerSchema>;

/** Offers that are on file and not archived, by key. */
export type Offers = ReadonlyMap<string, Offer>;

/**
 * Up to when a code counts that is issued at a moment; null for ever. One that counts for days counts to the end of the last of
 * them, as a shopper reads it; hours and minutes are exact.
 */
export function expiryOf(offer: Pick<Offer, 'expires'>, issuedAt: Instant, zone: string): Instant | null {
  const { expires } = offer;
  if (expires === null) return null;
  if ('on' in expires) return endOfDate(expires.on, zone);
  const at = addDuration(issuedAt, expires.after, zone);
  return expires.after.includes('T') ? at : endOfDate(localDate(at, zone), zone);
}

/** Whether the days of an offer are over: nothing is issued under it any more. */
export const isOver = ({ expires }: Pick<Offer, 'expires'>, now: Instant, zone: string): boolean =>
  expires !== null && 'on' in expires && now >= endOfDate(expires.on, zone);

/** An amount of an offer in words. */
export const sayAmount = (major: number, currency: string): string =>
  sayMoney({ currency, minor: toMinor(major, currency) }).replace(/[.,]00$/, '');

/** What an offer gives: "10 % off", "€5 off", "free shipping", "Net, small for free". */
export function sayGives({ gives, currency }: Pick<Offer, 'gives' | 'currency'>): string {
  switch (gives.kind) {
    case 'percent':
      return `${gives.percent} % off`;
    case 'amount':
      return `${sayAmount(gives.amount, currency)} off`;
    case 'shipping':
      return 'free shipping';
    case 'gift':
      return `${gives.name} for free`;
  }
}

/** The terms as a shopper reads them: "10 % off from €100". */
export function sayTerms(offer: Pick<Offer, 'gives' | 'currency' | 'minimum' | 'only'>): string {
  const { minimum, only, currency } = offer;
  return `${sayGives(offer)}${only ? ` ${[...only.categories, ...only.products].slice(0, 3).join(', ')}${only.categories.length + only.products.length > 3 ? ' and more' : ''}` : ''}${minimum === undefined ? '' : ` from ${sayAmount(minimum, currency)}`}`;
}

/** How long a code counts, in words. */
export function sayExpiry({ expires }: Pick<Offer, 'expires'>): string {
  if (expires === null) return 'for ever';
  if ('on' in expires) return `up to ${expires.on}`;
  return `for ${sayDuration(expires.after)}${expires.after.includes('T') ? '' : ', to the end of the last day'}`;
}
