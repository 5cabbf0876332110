import * as z from 'zod';
import { PRODUCT_EVENTS, REPRICED, type Product } from '../../products';
import { propertyTestsSchema, sayComparison, sayName, type Rule, type WhereTest } from '../../rules';
import { sayDuration } from '../../time';
import { positiveDuration } from '../parts';
import { eventTrigger } from './event';
import type { TriggerKind } from './kind';

const relation = z.strictObject({
  /** by which people are told of a product: they looked at it, had it in a cart, bought it, or bought something of its categories */
  by: z.enum(['viewed', 'cart', 'bought', 'category']),
  within: positiveDuration,
});

/** A product is there again, or costs something else: for whoever has to do with it. */
export const productTriggerShape = {
  kind: z.literal('product'),
  event: z.enum(PRODUCT_EVENTS),
  key: z.literal('change').default('change'),
  /** what is asked of the change: such as a price that has fallen by more than 10 of a hundred */
  where: propertyTestsSchema.optional(),
  relates: z.array(relation).min(1, 'needs at least one way in which people have to do with it').max(4),
};
export type ProductTrigger = z.infer<z.ZodObject<typeof productTriggerShape>>;

/** Whom a product concerns, as a rule that is looked at as it changes. */
export function whoConcerns({ relates }: Pick<ProductTrigger, 'relates'>, product: Pick<Product, 'sku' | 'categories'>): Rule {
  const { sku, categories } = product;
  const inItems = (property: string, value: string): WhereTest => ({ property: 'items', any: [{ property, op: 'is', value }] });
  const did = (event: string, within: string, where: WhereTest): Rule => ({ test: 'did', event, where: [where], since: { last: within } });
  return {
    any: relates.flatMap(({ by, within }): Rule[] => {
      switch (by) {
        case 'viewed':
          return [did('product.viewed', within, { property: 'sku', op: 'is', value: sku })];
        case 'cart':
          return [did('cart.updated', within, inItems('sku', sku))];
        case 'bought':
          return [did('order.placed', within, inItems('sku', sku))];
        case 'category':
          return categories.map((category) => did('order.placed', within, inItems('category', category)));
      }
    }),
  };
}

const RELATED: { readonly [by in ProductTrigger['relates'][number]['by']]: string } = {
  viewed: 'viewed it',
  cart: 'had it in a cart',
  bought: 'bought it',
  category: 'bought something of its category',
};
export const sayRelated = (relates: ProductTrigger['relates']): string =>
  relates.map(({ by, within }) => `${RELATED[by]} in the last ${sayDuration(within)}`).join(' or ');

const { startsAt, stateAt, asks, endsOn, lead } = eventTrigger as unknown as TriggerKind<ProductTrigger>;

export const productTrigger: TriggerKind<ProductTrigger> = {
  startsAt,
  stateAt,
  asks,
  endsOn,
  lead,
  says: ({ event, where, relates }) => {
    const asked = (where ?? []).flatMap((one) => ('any' in one ? [] : [`${sayName(one.property)} ${sayComparison(one)}`]));
    return `A product ${event === REPRICED ? 'costs something else' : 'is there again'}${asked.length ? ` (${asked.join(', ')})` : ''}, for whoever ${sayRelated(relates)}`;
  },
  saysDue: ({ event }) => (event === REPRICED ? 'a product costs something else' : 'a product is there again'),
};
