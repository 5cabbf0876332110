import * as z from 'zod';
import { PRODUCT_FIELDS, type ProductField, type ProductMapping } from '../products';
import type { Money } from '../money';
import { productInput, productSku } from '../products';
import type { Value } from '../rules';

/** A product as a shop told of it, or as it was learned from events. */
export interface ProductView {
  readonly sku: string;
  readonly name: string;
  readonly price: Money | null;
  readonly compareAt: Money | null;
  /** what one costs the shop */
  readonly cost: Money | null;
  readonly currency: string;
  readonly url: string | null;
  readonly image: string | null;
  readonly categories: readonly string[];
  readonly stock: number | null;
  readonly attributes: { readonly [name: string]: Value };
  /** by the shop, or learned from the items of events */
  readonly isTold: boolean;
  readonly changedAt: string;
}
export interface ProductsView {
  readonly total: number;
  readonly products: readonly ProductView[];
}

/** Many products at once, or a table of them with the columns sku, name, price, compareAt, cost, currency, url, image, categories, stock. */
export const productsInput = z.union([
  z.strictObject({
    products: z
      .array(productInput.extend({ sku: productSku }))
      .min(1)
      .max(5000),
  }),
  z.strictObject({ csv: z.string().min(1) }),
]);

/** Where products are read, how often, and which field stands for what; what is left out is looked for by common names. */
export const productFeedInput = z.strictObject({
  name: z.string().trim().min(1, 'must not be empty').max(120),
  url: z.string().max(2000),
  everyMinutes: z.int().min(15).max(10_080).optional(),
  mapping: z.partialRecord(z.enum(Object.keys(PRODUCT_FIELDS) as [ProductField, ...ProductField[]]), z.string().max(120)).optional(),
});
export interface ProductFeedView {
  readonly key: string;
  readonly name: string;
  readonly url: string;
  readonly everyMinutes: number;
  readonly mapping: ProductMapping;
  /** the names that its records had the last time */
  readonly fields: readonly string[];
  readonly readAt: string | null;
  readonly stored: number | null;
  readonly skipped: { readonly count: number; readonly some: readonly string[] } | null;
  readonly problem: string | null;
}
