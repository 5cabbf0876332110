import * as z from 'zod';
import type { Money } from '../money';
import { productInput, productSku } from '../products';
import type { Value } from '../rules';

/** A product as a shop told of it, or as it was learned from events. */
export interface ProductView {
  readonly sku: string;
  readonly name: string;
  readonly price: Money | null;
  readonly compareAt: Money | null;
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

/** Many products at once, or a table of them with the columns sku, name, price, compareAt, currency, url, image, categories, stock. */
export const productsInput = z.union([
  z.strictObject({
    products: z
      .array(productInput.extend({ sku: productSku }))
      .min(1)
      .max(5000),
  }),
  z.strictObject({ csv: z.string().min(1) }),
]);
