import { isCurrency } from '../money';
import { readNumber } from '../people';
import { productInput, productSku, type ProductInput } from './product';

/** What a product is told of by, and under which names others commonly have it (common practice). */
export const PRODUCT_FIELDS = {
  sku: ['sku', 'id', 'article', 'articlenumber', 'productid', 'guid'],
  name: ['name', 'title'],
  price: ['saleprice', 'price', 'amount'],
  compareAt: ['compareat', 'listprice', 'regularprice', 'oldprice'],
  cost: ['cost', 'unitcost', 'purchaseprice', 'costofgoodssold', 'costprice'],
  currency: ['currency'],
  url: ['url', 'link', 'href'],
  image: ['image', 'imagelink', 'imageurl', 'picture', 'thumbnail'],
  categories: ['categories', 'category', 'producttype', 'type'],
  stock: ['stock', 'quantity', 'inventory', 'availability'],
} as const;
export type ProductField = keyof typeof PRODUCT_FIELDS;
/** Which field of a record stands for what of a product; what is left out is looked for by common names. */
export type ProductMapping = { readonly [field in ProductField]?: string };

/** A product as somebody else tells of it: names and what stands under them. */
export type ProductRecord = { readonly [name: string]: unknown };

const plain = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]/g, '');

/** What stands in a record under a name, or a path such as `variants.0.price`. */
function at(record: ProductRecord, path: string): unknown {
  if (Object.hasOwn(record, path)) return record[path];
  let here: unknown = record;
  for (const name of path.split('.')) {
    if (here === null || typeof here !== 'object' || !Object.hasOwn(here, name)) return undefined;
    here = (here as { [name: string]: unknown })[name];
  }
  return here;
}

/** Which fields of a record stand for what, by common names; those that are mapped by hand stay. */
export function guessMapping(record: ProductRecord, mapping: ProductMapping = {}): ProductMapping {
  const names = new Map(
    Object.keys(record)
      .reverse()
      .map((name) => [plain(name), name]),
  );
  return Object.fromEntries(
    (Object.keys(PRODUCT_FIELDS) as ProductField[]).flatMap((field) => {
      const found = mapping[field] ?? PRODUCT_FIELDS[field].map((one) => names.get(one)).find((name) => name !== undefined);
      return found === undefined || found === '' ? [] : [[field, found]];
    }),
  );
}

const textOf = (value: unknown): string | undefined =>
  typeof value === 'string' ? value.trim() || undefined : typeof value === 'number' ? String(value) : undefined;
const OUT = /^(out of stock|out_of_stock|sold out|unavailable|no|false)$/i;
const AMOUNTS = { price: 'price', compareAt: 'price before', cost: 'cost' } as const;
const IN = /^(in stock|in_stock|available|yes|true|preorder|backorder)$/i;

/** A product out of a record: its number and what is told of it, or what is wrong with it, in words. */
export function productOfRecord(record: ProductRecord, mapping: ProductMapping): readonly [string, ProductInput] | string {
  const value = (field: ProductField) => (mapping[field] === undefined ? undefined : at(record, mapping[field]));
  const sku = productSku.safeParse(textOf(value('sku')));
  if (!sku.success) return 'has no article number';
  const said: { [field: string]: unknown } = { name: textOf(value('name')), url: textOf(value('url')), image: textOf(value('image')) };
  let currency = textOf(value('currency'))?.toUpperCase();
  for (const field of ['price', 'compareAt', 'cost'] as const) {
    const text = textOf(value(field));
    if (text === undefined) continue;
    // an amount may bring its currency along: "12.50 EUR"
    const [, before, number, after] = /^([A-Z]{3})?\s*([-\d.,\s'’\u00a0\u202f]+)\s*([A-Z]{3})?$/.exec(text.replace(/[€$£]/g, '')) ?? [];
    const amount = number === undefined ? null : readNumber(number);
    if (amount === null) return `“${text.slice(0, 40)}” is no amount (${AMOUNTS[field]})`;
    currency ??= before ?? after;
    said[field] = amount;
  }
  if (currency !== undefined) {
    if (!isCurrency(currency)) return `“${currency.slice(0, 10)}” is not a currency of ISO 4217`;
    said.currency = currency;
  }
  const stock = value('stock');
  if (stock !== undefined && stock !== null && stock !== '') {
    const text = textOf(stock) ?? String(stock);
    const number = readNumber(text);
    if (OUT.test(text) || stock === false) said.stock = 0;
    else if (IN.test(text) || stock === true) said.stock = null;
    else if (number !== null) said.stock = Math.max(0, Math.round(number));
    else return `“${text.slice(0, 40)}” is no number (stock)`;
  }
  const categories = value('categories');
  const listed = Array.isArray(categories) ? categories.map(textOf) : textOf(categories)?.split(/\s*(?:\||>|;)\s*/);
  if (listed) said.categories = listed.filter((one): one is string => Boolean(one)).slice(0, 20);
  const parsed = productInput.safeParse(Object.fromEntries(Object.entries(said).filter(([, one]) => one !== undefined)));
  if (parsed.success) return [sku.data, parsed.data];
  const [issue] = parsed.error.issues;
  return `${issue!.path.join('.')} ${issue!.message}`;
}
