import type { Instant } from '@/core/time';
import type { Value } from '@/core/rules';
import { productOfItem } from '@/core/products';
import { LONGEST_VALUE, MOST_VALUES, type LearnedProduct, type SeenType } from '@/data/sources';

const kindOf = (value: Value): string => (Array.isArray(value) ? 'array' : typeof value);

/** What a batch shows of each event type, for the catalogue. */
export function seenIn(
  events: readonly { readonly type: string; readonly time: Instant; readonly properties: { readonly [name: string]: Value } }[],
): { [type: string]: SeenType } {
  interface Seen {
    count: number;
    kinds: Record<string, number>;
    values: Record<string, number>;
    distinct: number;
  }
  const types: Record<string, { count: number; first: Instant; last: Instant; properties: Record<string, Seen> }> = Object.create(
    null,
  ) as Record<string, never>;
  for (const { type, time, properties } of events) {
    const seen = (types[type] ??= { count: 0, first: time, last: time, properties: Object.create(null) as Record<string, Seen> });
    seen.count += 1;
    if (time < seen.first) seen.first = time;
    if (time > seen.last) seen.last = time;
    for (const name in properties) {
      const value = properties[name]!;
      if (value === null || value === undefined) continue;
      const property = (seen.properties[name] ??= {
        count: 0,
        kinds: {},
        values: Object.create(null) as Record<string, number>,
        distinct: 0,
      });
      property.count += 1;
      const kind = kindOf(value);
      property.kinds[kind] = (property.kinds[kind] ?? 0) + 1;
      if (kind === 'object' || kind === 'array') continue;
      const text = String(value);
      if (text.length > LONGEST_VALUE) continue;
      const known = property.values[text];
      if (known !== undefined) property.values[text] = known + 1;
      else if (property.distinct < MOST_VALUES) {
        property.values[text] = 1;
        property.distinct += 1;
      }
    }
  }
  return Object.fromEntries(
    Object.entries(types).map(([type, seen]) => [
      type,
      {
        ...seen,
        first: Math.round(seen.first),
        last: Math.round(seen.last),
        properties: Object.fromEntries(
          Object.entries(seen.properties).map(([name, { count, kinds, values }]) => [name, { count, kinds, values: { ...values } }]),
        ),
      },
    ]),
  );
}

/** How many products one batch tells of at most. */
const MOST_PRODUCTS = 200;
/** Events whose items, or which themselves, are about products. */
const OF_PRODUCTS = /^(cart|checkout|order|product)\./;

/** What a batch tells of products, the latest word on each: the catalogue learns them from it. */
export function productsIn(
  events: readonly { readonly type: string; readonly properties: { readonly [name: string]: Value } }[],
): LearnedProduct[] {
  const told = new Map<string, LearnedProduct>();
  for (const { type, properties } of events) {
    if (!OF_PRODUCTS.test(type)) continue;
    const { currency, items } = properties;
    const found = type.startsWith('product.') ? [properties as Value] : Array.isArray(items) ? (items as readonly Value[]) : [];
    for (const item of found.slice(0, 50)) {
      const one = productOfItem(item, currency);
      if (one && (told.has(one.sku) || told.size < MOST_PRODUCTS)) told.set(one.sku, one);
    }
  }
  return [...told.values()];
}
