import type { Product, ProductChange } from '@/core/products';
import type { Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';

interface ProductRow {
  readonly sku: string;
  readonly name: string;
  readonly price_minor: string | null;
  readonly compare_minor: string | null;
  readonly cost_minor: string | null;
  readonly currency: string;
  readonly url: string | null;
  readonly image: string | null;
  readonly categories: string[];
  readonly stock: string | null;
  readonly attributes: Product['attributes'];
  readonly is_told: boolean;
  readonly changed_at: Date;
}

/** A product with whether the shop has told of it itself. */
export interface KeptProduct extends Product {
  readonly isTold: boolean;
  readonly changedAt: Instant;
}

const numberOf = (text: string | null): number | null => (text === null ? null : Number(text));
const toProduct = (row: ProductRow): KeptProduct => ({
  sku: row.sku,
  name: row.name,
  priceMinor: numberOf(row.price_minor),
  compareMinor: numberOf(row.compare_minor),
  costMinor: numberOf(row.cost_minor),
  currency: row.currency,
  url: row.url,
  image: row.image,
  categories: row.categories,
  stock: numberOf(row.stock),
  attributes: row.attributes,
  isTold: row.is_told,
  changedAt: row.changed_at.getTime(),
});

/** Products by their numbers, locked until the transaction ends, in one order so that two transactions cannot wait for each other. */
export async function lockProducts(sql: Sql, skus: readonly string[]): Promise<Map<string, KeptProduct>> {
  const rows = await query<ProductRow>(sql, 'select * from products where sku = any(cast(:skus as text[])) order by sku for update', {
    skus,
  });
  return new Map(rows.map((row) => [row.sku, toProduct(row)]));
}

/** Products by their numbers. */
export async function findProducts(sql: Sql, skus: readonly string[]): Promise<Map<string, KeptProduct>> {
  const rows = await query<ProductRow>(sql, 'select * from products where sku = any(cast(:skus as text[]))', { skus });
  return new Map(rows.map((row) => [row.sku, toProduct(row)]));
}

export async function findProduct(sql: Sql, sku: string): Promise<KeptProduct | null> {
  const row = await queryOne<ProductRow>(sql, 'select * from products where sku = :sku', { sku });
  return row && toProduct(row);
}

/** Products whose name, number or category has these words, by name; with how many there are. */
export async function listProducts(
  sql: Sql,
  { words, limit, offset }: { words: string | null; limit: number; offset: number },
): Promise<{ total: number; products: KeptProduct[] }> {
  const where = `where cast(:words as text) is null or name ilike :like or sku ilike :like or exists (select 1 from unnest(categories) c where c ilike :like)`;
  const like = `%${(words ?? '').replace(/[\\%_]/g, '\\$&')}%`;
  const [count] = await query<{ total: number }>(sql, `select count(*)::int as total from products ${where}`, { words, like });
  const rows = await query<ProductRow>(sql, `select * from products ${where} order by lower(name), sku limit :limit offset :offset`, {
    words,
    like,
    limit,
    offset,
  });
  return { total: count!.total, products: rows.map(toProduct) };
}

const PRODUCTS = rowsOf({
  sku: 'text',
  name: 'text',
  price_minor: 'bigint',
  compare_minor: 'bigint',
  cost_minor: 'bigint',
  currency: 'text',
  url: 'text',
  image: 'text',
  categories: 'text[]',
  stock: 'bigint',
  attributes: 'jsonb',
});

/** Stores products: as told by the shop, or as learned from events, which never overrules what the shop has told. */
export async function saveProducts(sql: Sql, products: readonly Product[], at: Instant, isTold: boolean): Promise<void> {
  if (!products.length) return;
  await query(
    sql,
    `insert into products (sku, name, price_minor, compare_minor, cost_minor, currency, url, image, categories, stock, attributes, is_told, changed_at, first_seen_at)
     select sku, name, price_minor, compare_minor, cost_minor, currency, url, image, categories, stock, attributes, :isTold, :at, :at from ${PRODUCTS.sql} as r
     order by sku
     on conflict (sku) do update set name = excluded.name, price_minor = excluded.price_minor, compare_minor = excluded.compare_minor,
       cost_minor = excluded.cost_minor,
       currency = excluded.currency, url = excluded.url, image = excluded.image, categories = excluded.categories, stock = excluded.stock,
       attributes = excluded.attributes, is_told = excluded.is_told, changed_at = excluded.changed_at
     where excluded.is_told or not products.is_told`,
    {
      at: new Date(at),
      isTold,
      rows: PRODUCTS.ofAnything(
        products.map((one) => ({
          sku: one.sku,
          name: one.name,
          price_minor: one.priceMinor,
          compare_minor: one.compareMinor,
          cost_minor: one.costMinor,
          currency: one.currency,
          url: one.url,
          image: one.image,
          categories: one.categories,
          stock: one.stock,
          attributes: one.attributes,
        })),
      ),
    },
  );
}

/** Keeps what has come to be with products, and notes for each flow that is on and starts by such which of its people are to be told. */
export async function noteChanges(sql: Sql, changes: readonly ProductChange[]): Promise<void> {
  for (const { at, type, product, was, is } of changes)
    await query(
      sql,
      `with change as (
         insert into product_changes (at, type, sku, product, was, "is") values (:at, :type, :sku, :product, :was, :is) returning id
       )
       insert into product_tellings (change_id, flow_id, trigger)
       select change.id, f.id, t ->> 'id' from change, flows f join flow_versions v on v.flow_id = f.id and v.version = f.version,
         jsonb_array_elements(v.document -> 'triggers') t
       where f.state = 'on' and t ->> 'kind' = 'product' and t ->> 'event' = :type`,
      { at: new Date(at), type, sku: product.sku, product: JSON.stringify(product), was, is },
    );
}

export interface Telling {
  readonly change_id: string;
  readonly flow_id: number;
  readonly trigger: string;
  readonly told_to: string;
  readonly key: string;
  readonly version: number;
  readonly change: ProductChange;
}

/** The oldest change of which people are still to be told, locked; null where none is, or all are in other hands. */
export async function claimTelling(sql: Sql): Promise<Telling | null> {
  const row = await queryOne<
    Omit<Telling, 'change'> & { type: ProductChange['type']; product: Product; was: string; is: string; at_ms: string }
  >(
    sql,
    `select t.change_id, t.flow_id, t.trigger, t.told_to, f.key, f.version, c.type, c.product, c.was, c."is",
       (extract(epoch from c.at) * 1000)::bigint as at_ms
     from product_tellings t join product_changes c on c.id = t.change_id join flows f on f.id = t.flow_id
     order by t.change_id, t.flow_id, t.trigger limit 1 for update of t skip locked`,
  );
  if (!row) return null;
  const { type, product, was, is, at_ms: at, ...telling } = row;
  return { ...telling, change: { type, product, was: Number(was), is: Number(is), at: Number(at) } };
}

/** Notes up to which person a change has been told; null where everybody has been. */
export async function noteTelling(
  sql: Sql,
  { change_id: changeId, flow_id: flowId, trigger }: Telling,
  toldTo: string | null,
): Promise<void> {
  await query(
    sql,
    toldTo === null
      ? 'delete from product_tellings where change_id = :changeId and flow_id = :flowId and trigger = :trigger'
      : 'update product_tellings set told_to = :toldTo where change_id = :changeId and flow_id = :flowId and trigger = :trigger',
    { changeId, flowId, trigger, ...(toldTo !== null && { toldTo }) },
  );
}

/** How products have changed between two moments, ascending. */
export async function changesBetween(sql: Sql, from: Instant, to: Instant): Promise<ProductChange[]> {
  const rows = await query<{ type: ProductChange['type']; product: Product; was: string; is: string; at_ms: string }>(
    sql,
    `select type, product, was, "is", (extract(epoch from at) * 1000)::bigint as at_ms from product_changes
     where at >= :from and at <= :to order by at, id limit 10000`,
    { from: new Date(from), to: new Date(to) },
  );
  return rows.map((row) => ({ type: row.type, product: row.product, was: Number(row.was), is: Number(row.is), at: Number(row.at_ms) }));
}
