import * as z from 'zod';
import { currencyDigits, isCurrency } from '../money';
import { eventTypeSchema, type Value } from '../rules';
import { cut } from '../text';
import { parseInstant } from '../time';
import { pathSteps, valueAtPath } from './path';

const path = z
  .string()
  .trim()
  .min(1)
  .max(300)
  .refine((where) => /^\$\.?$/.test(where) || pathSteps(where).length > 0, 'is not a path; write for example order.lines[0].title');
const typeFrom = z.union([
  z.strictObject({ fixed: eventTypeSchema }),
  /** the value at a path, and which of our types each of its values means; others are left out */
  z.strictObject({ path, means: z.record(z.string().max(200), eventTypeSchema) }),
]);

/**
 * How the JSON of some webhook becomes events, `viatic.mapping/1`. Paths are as in `order.lines[0].title`, from the
 * body's root; with `each`, a list in the body gives one event an entry and paths start there (`$` is the root no more).
 */
export const mappingSchema = z.strictObject({
  schema: z.literal('viatic.mapping/1'),
  each: path.nullish(),
  type: typeFrom,
  id: path.nullish(),
  time: path.nullish(),
  person: z.strictObject({
    externalId: path.nullish(),
    email: path.nullish(),
    phone: path.nullish(),
    firstName: path.nullish(),
    lastName: path.nullish(),
    country: path.nullish(),
    consent: path.nullish(),
  }),
  amount: z.strictObject({ path, unit: z.enum(['major', 'minor']) }).nullish(),
  currency: z
    .union([z.strictObject({ path }), z.strictObject({ fixed: z.string().refine(isCurrency, 'is not a currency of ISO 4217') })])
    .nullish(),
  /** the key of a cart or an order, for the types that need one */
  cartId: path.nullish(),
  orderId: path.nullish(),
  items: z
    .strictObject({
      path,
      name: path.nullish(),
      sku: path.nullish(),
      quantity: path.nullish(),
      price: path.nullish(),
      url: path.nullish(),
      image: path.nullish(),
    })
    .nullish(),
  /** further properties of the event, by name */
  properties: z.record(z.string().regex(/^[\p{L}_][\p{L}\p{N}_]{0,59}$/u, 'is not a property name'), path).default({}),
});
export type Mapping = z.infer<typeof mappingSchema>;

/** An event made from a body, in the shape of the public interface; `skipped` says why an entry is no event of ours. */
export type Mapped = { readonly event: Record<string, Value> } | { readonly skipped: string };

const text = (value: Value | undefined): string | null =>
  typeof value === 'string' && value.trim() ? value.trim() : typeof value === 'number' ? String(value) : null;
const number = (value: Value | undefined): number | null =>
  typeof value === 'number' ? value : typeof value === 'string' && value.trim() && Number.isFinite(Number(value)) ? Number(value) : null;

/** A moment as senders write it: RFC 3339, or seconds or milliseconds since 1970. */
function moment(value: Value | undefined): string | null {
  if (typeof value === 'number' && value > 0 && value < 8e15) return new Date(value < 1e11 ? value * 1000 : value).toISOString();
  if (typeof value !== 'string') return null;
  if (/^\d{10}(\d{3})?$/.test(value)) return moment(Number(value));
  const spaced = value.replace(/^(\d{4}-\d{2}-\d{2}) (\d{2}:)/, '$1T$2').replace(/([+-]\d{2})(\d{2})$/, '$1:$2');
  return parseInstant(spaced) === null ? value : spaced;
}

/**
 * Makes events of a body. `id` is the webhook's own: it stands in where the mapping names no id, so that a repeat is
 * told as one. What a path does not find is left out, and the door says what is missing.
 */
export function applyMapping(mapping: Mapping, body: Value, context: { source: string; id: string; storeCurrency: string }): Mapped[] {
  const entries = mapping.each ? valueAtPath(body, mapping.each) : body;
  if (mapping.each && !Array.isArray(entries)) return [{ skipped: `there is no list at ${mapping.each}` }];
  return (mapping.each ? (entries as readonly Value[]) : [body]).map((entry, index) =>
    mapOne(mapping, entry, { ...context, id: mapping.each ? `${context.id}/${index}` : context.id }),
  );
}

function mapOne(mapping: Mapping, entry: Value, context: { source: string; id: string; storeCurrency: string }): Mapped {
  const at = (where: string | null | undefined): Value | undefined => (where ? valueAtPath(entry, where) : undefined);
  let type: string;
  if ('fixed' in mapping.type) type = mapping.type.fixed;
  else {
    const said = text(at(mapping.type.path));
    if (said === null) return { skipped: `there is no type at ${mapping.type.path}` };
    const means = Object.hasOwn(mapping.type.means, said) ? mapping.type.means[said] : undefined;
    if (!means) return { skipped: `the type “${said.slice(0, 60)}” is not mapped` };
    type = means;
  }
  const currency = mapping.currency
    ? 'fixed' in mapping.currency
      ? mapping.currency.fixed
      : (text(at(mapping.currency.path))?.toUpperCase() ?? null)
    : context.storeCurrency;
  const toMajor = (value: Value | undefined): number | null => {
    const amount = number(value);
    if (amount === null || !mapping.amount) return amount;
    return mapping.amount.unit === 'minor' ? amount / 10 ** (currency ? (currencyDigits(currency) ?? 2) : 2) : amount;
  };
  const data: Record<string, Value> = {};
  for (const [name, where] of Object.entries(mapping.properties)) {
    const value = at(where);
    if (value !== undefined) data[name] = value;
  }
  if (mapping.amount) {
    const value = toMajor(at(mapping.amount.path));
    if (value !== null) data.value = value;
    if (currency) data.currency = currency;
  }
  for (const name of ['cartId', 'orderId'] as const) {
    const value = text(at(mapping[name]));
    if (value !== null) data[name] = value;
  }
  const { items } = mapping;
  const list = items ? at(items.path) : undefined;
  if (items && Array.isArray(list)) {
    data.items = (list as readonly Value[]).map((item) => {
      const of = (where: string | null | undefined) => (where ? valueAtPath(item, where) : undefined);
      const [name, sku, url, image] = [text(of(items.name)), text(of(items.sku)), text(of(items.url)), text(of(items.image))];
      const [quantity, price] = [number(of(items.quantity)), toMajor(of(items.price))];
      return {
        ...(name !== null && { name }),
        ...(sku !== null && { sku }),
        ...(quantity !== null && { quantity }),
        ...(price !== null && { price }),
        ...(url !== null && { url }),
        ...(image !== null && { image }),
      };
    });
  }
  const person: Record<string, Value> = {};
  for (const name of ['email', 'phone', 'firstName', 'lastName', 'country'] as const) {
    const value = text(at(mapping.person[name]));
    if (value !== null) person[name] = value;
  }
  const consent = at(mapping.person.consent);
  if (typeof consent === 'boolean') person.consent = { email: consent, how: `webhook ${context.source}` };
  if (Object.keys(person).length) data.person = person;
  const [subject, time, id] = [text(at(mapping.person.externalId)), moment(at(mapping.time)), text(at(mapping.id))];
  return {
    event: {
      id: cut(id ?? context.id, 255),
      source: context.source,
      type,
      ...(subject !== null && { subject }),
      ...(time !== null && { time }),
      data,
    },
  };
}

const HINTS: readonly (readonly [
  keyof Mapping['person'] | 'time' | 'id' | 'amount' | 'currency' | 'cartId' | 'orderId' | 'type' | 'items',
  RegExp,
])[] = [
  ['type', /(^|\.)(event|topic|event_?type|action|kind|type)$/i],
  ['time', /(^|\.)((created|updated|placed|occurred)_?at|time(stamp)?|date|when)$/i],
  ['email', /(^|\.|_)e?-?mail(_?address)?$/i],
  ['phone', /(^|\.|_)(phone|mobile|tel)(_?number)?$/i],
  ['firstName', /(^|\.)(first_?name|given_?name)$/i],
  ['lastName', /(^|\.)(last_?name|family_?name|surname)$/i],
  ['country', /(^|\.)country(_?code)?$/i],
  ['externalId', /(^|\.)(customer|user|buyer|client|person)(\.id|_?id)$/i],
  ['amount', /(^|\.)(total|grand_?total|amount|total_?price|value|sum)(_?cents|_?minor)?$/i],
  ['currency', /(^|\.)currency(_?code)?$/i],
  ['orderId', /(^|\.)(order(\.id|_?id|_?number)|order_?ref)$/i],
  ['cartId', /(^|\.)((cart|basket)(\.id|_?id|_?token))$/i],
  ['items', /(^|\.)(items|lines|line_?items|products|positions)$/i],
  ['id', /^(id|event_?id|uuid)$/i],
];

/** Guesses which place in a body means what, from the names of its fields. Only a proposal: somebody looks at it. */
export function guessPlaces(places: readonly { readonly path: string; readonly value: Value }[]): { readonly [role: string]: string } {
  const guess: Record<string, string> = {};
  for (const [role, pattern] of HINTS) {
    const found = places.find(
      ({ path: where, value }) =>
        pattern.test(where) && (role === 'items' ? Array.isArray(value) : value === null || typeof value !== 'object'),
    );
    if (found) guess[role] = found.path;
  }
  return guess;
}
