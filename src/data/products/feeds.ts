import type { ProductMapping } from '@/core/products';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export interface ProductFeedRow {
  readonly key: string;
  readonly name: string;
  readonly url: string;
  readonly every_minutes: number;
  readonly mapping: ProductMapping;
  readonly tried_at: Date | null;
  readonly read_at: Date | null;
  /** how many were stored the last time, and what could not be read of it */
  readonly stored: number | null;
  readonly skipped: { readonly count: number; readonly some: readonly string[] } | null;
  /** the names that its records have */
  readonly fields: string[];
  readonly problem: string | null;
}

export const listProductFeeds = (sql: Sql): Promise<ProductFeedRow[]> =>
  query<ProductFeedRow>(sql, 'select * from product_feeds order by lower(name), key');
export const findProductFeed = (sql: Sql, key: string): Promise<ProductFeedRow | null> =>
  queryOne<ProductFeedRow>(sql, 'select * from product_feeds where key = :key', { key });

export async function saveProductFeed(
  sql: Sql,
  feed: Pick<ProductFeedRow, 'key' | 'name' | 'url' | 'every_minutes' | 'mapping'>,
): Promise<void> {
  await query(
    sql,
    `insert into product_feeds (key, name, url, every_minutes, mapping) values (:key, :name, :url, :every_minutes, :mapping)
     on conflict (key) do update set name = excluded.name, url = excluded.url, every_minutes = excluded.every_minutes, mapping = excluded.mapping`,
    { ...feed, mapping: JSON.stringify(feed.mapping) },
  );
}

export const deleteProductFeed = async (sql: Sql, key: string): Promise<boolean> =>
  (await query(sql, 'delete from product_feeds where key = :key returning key', { key })).length > 0;

/** Takes a feed in hand that is due, so that no other worker reads it meanwhile; null when none is. */
export const takeDueProductFeed = (sql: Sql, now: Instant): Promise<ProductFeedRow | null> =>
  queryOne<ProductFeedRow>(
    sql,
    `update product_feeds set tried_at = :now where key = (
       select key from product_feeds where tried_at is null or tried_at <= cast(:now as timestamptz) - make_interval(mins => every_minutes)
       order by tried_at nulls first limit 1 for update skip locked) returning *`,
    { now: new Date(now) },
  );

/** Notes what was read of a feed; where it could not be read, what was said the last time stays. */
export async function settleProductFeed(
  sql: Sql,
  key: string,
  came: Pick<ProductFeedRow, 'stored' | 'skipped' | 'fields'> | { readonly problem: string },
  now: Instant,
): Promise<void> {
  if ('problem' in came)
    await query(sql, 'update product_feeds set problem = :problem, tried_at = :now where key = :key', {
      key,
      problem: came.problem.slice(0, 300),
      now: new Date(now),
    });
  else
    await query(
      sql,
      `update product_feeds set problem = null, tried_at = :now, read_at = :now, stored = :stored, skipped = :skipped, fields = :fields where key = :key`,
      { key, now: new Date(now), stored: came.stored, skipped: JSON.stringify(came.skipped), fields: came.fields },
    );
}
