import * as z from 'zod';
import { isCurrency, toMajor, toMinor } from '../money';
import { safeUrl } from '../text';
import type { Value } from '../rules';
import type { Instant } from '../time';

/** The number by which a shop knows an article. */
export const productSku = z.string().trim().min(1, 'must not be empty').max(120);
const address = z
  .string()
  .max(2000)
  .refine((text) => safeUrl(text) !== null, 'is not an address that begins with https://');
const price = z.number().min(0, 'must not be below 0').max(1_000_000_000);

/** What is told of a product: what is left out stays as it is on file; null takes it away. Prices are in major units. */
export const productInput = z.strictObject({
  name: z.string().trim().min(1).max(300).optional(),
  price: price.nullable().optional(),
  compareAt: price.nullable().optional(),
  /** what one costs the shop: never shown to anybody it sells to */
  cost: price.nullable().optional(),
  currency: z.string().refine(isCurrency, 'is not a currency of ISO 4217').optional(),
  url: address.nullable().optional(),
  image: address.nullable().optional(),
  categories: z.array(z.string().trim().min(1).max(120)).max(20).optional(),
  /** how many there are; null where nobody counts them */
  stock: z.int().min(0).max(1_000_000_000).nullable().optional(),
  attributes: z.record(z.string().min(1).max(60), z.union([z.string().max(500), z.number(), z.boolean()])).optional(),
});
export type ProductInput = z.infer<typeof productInput>;

/** A product as it is on file. */
export interface Product {
  readonly sku: string;
  readonly name: string;
  readonly priceMinor: number | null;
  readonly compareMinor: number | null;
  readonly costMinor: number | null;
  readonly currency: string;
  readonly url: string | null;
  readonly image: string | null;
  readonly categories: readonly string[];
  readonly stock: number | null;
  readonly attributes: { readonly [name: string]: Value };
}

export const RESTOCKED = 'product.restocked';
export const REPRICED = 'product.repriced';
export const PRODUCT_EVENTS = [RESTOCKED, REPRICED] as const;

/** That a product has come back, or costs something else. */
export interface ProductChange {
  readonly type: (typeof PRODUCT_EVENTS)[number];
  readonly product: Product;
  /** how many there were, or what it cost, in minor units */
  readonly was: number;
  readonly is: number;
  readonly at: Instant;
}

/** A product with what has been told of it put over what was known. */
export function productAfter(sku: string, was: Product | null, told: ProductInput, storeCurrency: string): Product {
  const currency = told.currency ?? was?.currency ?? storeCurrency;
  const minor = (value: number | null | undefined, known: number | null) =>
    value === undefined ? (currency === (was?.currency ?? currency) ? known : null) : value === null ? null : toMinor(value, currency);
  return {
    sku,
    name: told.name ?? was?.name ?? sku,
    priceMinor: minor(told.price, was?.priceMinor ?? null),
    compareMinor: minor(told.compareAt, was?.compareMinor ?? null),
    costMinor: minor(told.cost, was?.costMinor ?? null),
    currency,
    url: told.url === undefined ? (was?.url ?? null) : told.url,
    image: told.image === undefined ? (was?.image ?? null) : told.image,
    categories: told.categories ?? was?.categories ?? [],
    stock: told.stock === undefined ? (was?.stock ?? null) : told.stock,
    attributes: told.attributes ?? was?.attributes ?? {},
  };
}

/** What has come to be with a product that flows can start by: it is there again, or it costs something else in the same currency. */
export function changesOf(was: Product | null, is: Product, at: Instant): ProductChange[] {
  if (!was) return [];
  const changes: ProductChange[] = [];
  if (was.stock !== null && was.stock <= 0 && is.stock !== null && is.stock > 0)
    changes.push({ type: RESTOCKED, product: is, was: was.stock, is: is.stock, at });
  if (was.priceMinor !== null && is.priceMinor !== null && was.currency === is.currency && was.priceMinor !== is.priceMinor)
    changes.push({ type: REPRICED, product: is, was: was.priceMinor, is: is.priceMinor, at });
  return changes;
}

/** What tells changes of products apart. */
export const changeName = ({ product, at }: Pick<ProductChange, 'product' | 'at'>): string =>
  `${product.sku}@${new Date(at).toISOString()}`;

/** What somebody is told of a change: the product, as an item that a message can show, and how it was before. */
export function changeOfProductTold({ type, product, was }: Pick<ProductChange, 'type' | 'product' | 'was'>): {
  readonly [name: string]: Value;
} {
  const { sku, name, currency, url, image, categories, stock, priceMinor } = product;
  const price = priceMinor === null ? null : toMajor({ currency, minor: priceMinor });
  return {
    sku,
    name,
    currency,
    ...(price !== null && { price }),
    ...(url !== null && { url, checkoutUrl: url }),
    ...(image !== null && { image }),
    ...(categories.length && { categories: [...categories] }),
    ...(stock !== null && { stock }),
    ...(type === REPRICED && {
      was: toMajor({ currency, minor: was }),
      // by how much of a hundred it has changed, below 0 where it is cheaper
      by: was ? Math.round(((priceMinor! - was) / was) * 1000) / 10 : null,
    }),
    items: [{ sku, name, quantity: 1, ...(price !== null && { price }), ...(url !== null && { url }), ...(image !== null && { image }) }],
  };
}

/** What an item of an event tells of its product. */
export function productOfItem(item: Value, currency: Value | undefined): { sku: string; told: ProductInput } | null {
  if (item === null || typeof item !== 'object' || Array.isArray(item)) return null;
  const one = item as { readonly [name: string]: Value };
  const sku = productSku.safeParse(typeof one.sku === 'number' ? String(one.sku) : one.sku);
  if (!sku.success) return null;
  const text = (value: Value | undefined) => (typeof value === 'string' && value.trim() ? value.trim().slice(0, 300) : undefined);
  const categories = [one.category, ...(Array.isArray(one.categories) ? one.categories : [])].flatMap((each) => text(each as Value) ?? []);
  const name = text(one.name);
  const url = safeUrl(one.url);
  const image = safeUrl(one.image);
  return {
    sku: sku.data,
    told: {
      ...(name !== undefined && { name }),
      ...(typeof one.price === 'number' && Number.isFinite(one.price) && one.price >= 0 && one.price <= 1e9 && { price: one.price }),
      ...(typeof currency === 'string' && isCurrency(currency) && { currency }),
      ...(url && { url }),
      ...(image && { image }),
      ...(categories.length && { categories: [...new Set(categories)].slice(0, 20) }),
    },
  };
}
