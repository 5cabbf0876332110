import type { Instant } from '@/core/time';
import { ITEMS_OF_EVENT, query, type Sql } from '../db';

/** How often something was bought, and so many days later the next time; or not yet, and for how many days that was seen. */
export interface AgainRow {
  readonly key: string;
  readonly days: number;
  readonly happened: boolean;
  readonly many: number;
}

/** What of an item is bought again: the product itself, or anything of one of its categories. */
const KEYS = {
  product: { key: `item ->> 'sku'`, from: '' },
  category: {
    key: `c.name`,
    from: `join products p on p.sku = item ->> 'sku' cross join lateral unnest(p.categories) as c (name)`,
  },
} as const;
export type AgainBy = keyof typeof KEYS;

/** The most bought are told of. */
const MOST = 200;

/**
 * From each time somebody bought something to the next time they did, in whole days: of what was bought in a period, the most bought
 * products or categories first, or one of them.
 */
export const againRows = (
  sql: Sql,
  of: { by: AgainBy; key: string | null; from: Instant; to: Instant; now: Instant; currency: string },
): Promise<AgainRow[]> => {
  const { key, from } = KEYS[of.by];
  return query<AgainRow>(
    sql,
    `with bought as (
       select distinct o.person_id, o.order_id, o.placed_at, ${key} as key
       from orders o join events e on e.person_id = o.person_id and e.type = 'order.placed' and e.properties ->> 'orderId' = o.order_id
       cross join lateral ${ITEMS_OF_EVENT} item ${from}
       where o.placed_at >= :from and o.placed_at <= :now and o.currency = :currency and o.net_minor > 0 and ${key} is not null
         and (cast(:key as text) is null or ${key} = :key)
     ), spells as (
       select person_id, key, placed_at, lead(placed_at) over (partition by person_id, key order by placed_at, order_id) as next from bought
     ), inside as (select * from spells where placed_at <= :to),
     most as (select key from inside group by 1 order by count(*) desc, 1 limit ${MOST})
     select key, floor(extract(epoch from coalesce(next, :now) - placed_at) / 86400)::int as days, next is not null as happened,
       count(*)::int as many
     from inside join most using (key) group by 1, 2, 3`,
    { ...of, from: new Date(of.from), to: new Date(of.to), now: new Date(of.now) },
  );
};

/** What products are called. */
export async function productNames(sql: Sql, skus: readonly string[]): Promise<Map<string, string>> {
  const rows = await query<{ sku: string; name: string }>(sql, 'select sku, name from products where sku = any(cast(:skus as text[]))', {
    skus,
  });
  return new Map(rows.map(({ sku, name }) => [sku, name]));
}
