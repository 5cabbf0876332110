import { productsInput, type ProductsView, type ProductView } from '@/core/api';
import { readNumber } from '@/core/people';
import { changesOf, productAfter, productInput, productSku, type ProductInput } from '@/core/products';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { findProduct, listProducts, lockProducts, noteChanges, saveProducts, type KeptProduct } from '@/data/products';
import { readStore, recordAct } from '@/data/store';
import { linesOf, notFound, Problem, problemsOf, readLines, wholeNumber } from '../http';

const viewOf = (product: KeptProduct): ProductView => {
  const money = (minor: number | null) => (minor === null ? null : { currency: product.currency, minor });
  const { priceMinor, compareMinor, costMinor, changedAt, ...rest } = product;
  return {
    ...rest,
    price: money(priceMinor),
    compareAt: money(compareMinor),
    cost: money(costMinor),
    changedAt: new Date(changedAt).toISOString(),
  };
};

export async function products(db: Db, url: URL): Promise<ProductsView> {
  const limit = wholeNumber(url, 'limit', { least: 1, most: 1000, otherwise: 100 });
  const offset = wholeNumber(url, 'offset', { least: 0, most: 10_000_000, otherwise: 0 });
  const words = url.searchParams.get('q')?.trim().slice(0, 200) || null;
  const { total, products: rows } = await listProducts(db, { words, limit, offset });
  return { total, products: rows.map(viewOf) };
}

export async function productView(db: Db, sku: string): Promise<ProductView> {
  const product = await findProduct(db, sku.slice(0, 120));
  if (!product) throw notFound(`product "${sku.slice(0, 60)}"`);
  return viewOf(product);
}

/** Stores what a shop tells of products, and what that changes: one that is there again, or costs something else, begins flows. */
export async function storeProducts(trx: Sql, told: ReadonlyMap<string, ProductInput>): Promise<void> {
  const { now, currency } = await readStore(trx);
  const known = await lockProducts(trx, [...told.keys()]);
  const after = [...told].map(([sku, one]) => productAfter(sku, known.get(sku) ?? null, one, currency));
  await saveProducts(trx, after, now, true);
  await noteChanges(
    trx,
    after.flatMap((product) => changesOf(known.get(product.sku) ?? null, product, now)),
  );
}

export async function putProduct(db: Db, sku: string, body: unknown, by: string): Promise<ProductView> {
  const key = productSku.safeParse(sku);
  if (!key.success) throw new Problem(400, 'Not an article number', 'An article number has 1 to 120 characters.');
  const parsed = productInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a product', 'Nothing was stored.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    await storeProducts(trx, new Map([[key.data, parsed.data]]));
    await recordAct(trx, (await readStore(trx)).now, by, 'product.stored', { sku: key.data });
  });
  return productView(db, key.data);
}

/** Stores many products at once, or a table of them; of several lines for one article the last counts. */
export async function putProducts(db: Db, body: unknown, by: string): Promise<{ stored: number }> {
  const parsed = productsInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not products', 'Nothing was stored.', problemsOf(parsed.error));
  const told = new Map<string, ProductInput>();
  if ('products' in parsed.data) for (const { sku, ...one } of parsed.data.products) told.set(sku, one);
  else
    for (const [sku, one] of readLines(linesOf(parsed.data.csv, ['sku']), (record): [string, ProductInput] | string =>
      productOfLine(record),
    ))
      told.set(sku, one);
  const all = [...told];
  for (let from = 0; from < all.length; from += 1000)
    await inTransaction(db, (trx) => storeProducts(trx, new Map(all.slice(from, from + 1000))));
  await recordAct(db, (await readStore(db)).now, by, 'products.stored', { products: all.length });
  return { stored: all.length };
}

/** A line of a table of products: columns that are not there, and places that are empty, say nothing. */
function productOfLine(record: Record<string, string>): [string, ProductInput] | string {
  const text = (name: string) => (record[name]?.trim() ? record[name].trim() : undefined);
  const sku = productSku.safeParse(record.sku);
  if (!sku.success) return 'has no article number (sku)';
  const number = (name: string): number | undefined | null => {
    const said = text(name);
    return said === undefined ? undefined : readNumber(said);
  };
  const told: Record<string, unknown> = {
    name: text('name'),
    price: number('price'),
    compareAt: number('compareat'),
    cost: number('cost'),
    currency: text('currency')?.toUpperCase(),
    url: text('url'),
    image: text('image'),
    categories: text('categories')
      ?.split('|')
      .map((one) => one.trim())
      .filter(Boolean),
    stock: number('stock'),
  };
  for (const name of ['price', 'compareAt', 'cost', 'stock'] as const)
    if (told[name] === null) return `“${record[name.toLowerCase()] ?? ''}” is not a number (${name})`;
  const parsed = productInput.safeParse(Object.fromEntries(Object.entries(told).filter(([, value]) => value !== undefined)));
  if (parsed.success) return [sku.data, parsed.data];
  const [problem] = problemsOf(parsed.error);
  return `${problem!.field} ${problem!.wrong}`;
}
