import type { Instant } from '@/core/time';
import { DAY } from '@/core/time';
import { ITEMS_OF_EVENT, query, queryOne, type Sql } from '../db';

/** How far back orders count for what is bought together, and how many others are kept for each product. */
const LOOKED_BACK_MS = 730 * DAY;
const KEPT = 24;

/**
 * Computes from orders what was sold on which day, and what was bought together with what: for each pair how many orders have both,
 * how many have the first, and how many there are. Confidence is `together / orders`, support `together / total`.
 */
export async function computeRelations(sql: Sql, now: Instant): Promise<void> {
  const since = new Date(now - LOOKED_BACK_MS);
  await query(
    sql,
    `create temporary table order_lines_now on commit drop as
       select e.person_id, e.properties ->> 'orderId' as order_id, item ->> 'sku' as sku, min(e.time) as at,
         sum(case when jsonb_typeof(item -> 'quantity') = 'number' then least(greatest((item ->> 'quantity')::numeric, 0), 10000)::int else 1 end) as units
       from events e cross join lateral ${ITEMS_OF_EVENT} item
       where e.type = 'order.placed' and e.time >= :since and item ->> 'sku' is not null
         and not exists (select 1 from orders o where o.person_id = e.person_id and o.order_id = e.properties ->> 'orderId' and o.is_cancelled)
       group by 1, 2, 3`,
    { since },
  );
  await query(sql, 'analyze order_lines_now');
  await query(sql, 'delete from product_days');
  await query(
    sql,
    `insert into product_days (sku, day, orders, units)
     select left(sku, 120), (at at time zone 'UTC')::date, count(*)::int, coalesce(sum(units), 0)::int from order_lines_now group by 1, 2`,
  );
  await query(sql, 'delete from product_pairs');
  await query(
    sql,
    `with sold as (select sku, count(*)::int as orders from order_lines_now group by 1),
       total as (select count(*)::int as n from (select distinct person_id, order_id from order_lines_now) o),
       pairs as (
         select a.sku, b.sku as other, count(*)::int as together from order_lines_now a
         join order_lines_now b on b.person_id = a.person_id and b.order_id = a.order_id and b.sku <> a.sku group by 1, 2),
       ranked as (select *, row_number() over (partition by sku order by together desc, other) as place from pairs)
     insert into product_pairs (sku, other, together, orders, total)
     select r.sku, r.other, r.together, s.orders, total.n from ranked r join sold s on s.sku = r.sku cross join total where r.place <= ${KEPT}
       and length(r.sku) <= 120 and length(r.other) <= 120`,
  );
  await query(
    sql,
    `insert into product_relations_state (computed_at) values (:at) on conflict (id) do update set computed_at = excluded.computed_at`,
    { at: new Date(now) },
  );
}

/** When relations were computed last, or null. */
export async function relationsAt(sql: Sql): Promise<Instant | null> {
  return (await queryOne<{ computed_at: Date }>(sql, 'select computed_at from product_relations_state'))?.computed_at.getTime() ?? null;
}

export interface Pair {
  readonly sku: string;
  readonly other: string;
  readonly together: number;
  readonly orders: number;
  readonly total: number;
}

/** What was bought together with any of some products, for each other product the pair with the greatest confidence, best first. */
export const pairsOf = (sql: Sql, skus: readonly string[], limit: number): Promise<Pair[]> =>
  query<Pair>(
    sql,
    `select * from (select distinct on (other) sku, other, together, orders, total from product_pairs
       where sku = any(cast(:skus as text[])) and not other = any(cast(:skus as text[]))
       order by other, together::float / orders desc) p
     order by together::float / orders desc, together desc, other limit :limit`,
    { skus, limit },
  );

/** What sold best since a day, by orders. */
export const bestSold = (sql: Sql, since: Instant, limit: number): Promise<{ sku: string; orders: number }[]> =>
  query<{ sku: string; orders: number }>(
    sql,
    `select sku, sum(orders)::int as orders from product_days where day >= (cast(:since as timestamptz) at time zone 'UTC')::date
     group by sku order by 2 desc, sku limit :limit`,
    { since: new Date(since), limit },
  );

/** What the shop has that is in one of some categories, by how well it sold in the last 90 days. */
export const inCategories = (
  sql: Sql,
  categories: readonly string[],
  now: Instant,
  limit: number,
): Promise<{ sku: string; category: string }[]> =>
  query<{ sku: string; category: string }>(
    sql,
    `select p.sku, (select c from unnest(p.categories) c where lower(c) = any(cast(:categories as text[])) limit 1) as category
     from products p left join (select sku, sum(orders) as orders from product_days where day >= :since group by 1) s using (sku)
     where exists (select 1 from unnest(p.categories) c where lower(c) = any(cast(:categories as text[])))
     order by coalesce(s.orders, 0) desc, p.sku limit :limit`,
    { categories: categories.map((one) => one.toLowerCase()), since: new Date(now - 90 * DAY), limit },
  );

/** What came into the range last, and what was there again last. */
export const newestProducts = (sql: Sql, limit: number): Promise<{ sku: string }[]> =>
  query<{ sku: string }>(sql, 'select sku from products order by first_seen_at desc, sku limit :limit', { limit });
export const restockedSince = (sql: Sql, since: Instant, limit: number): Promise<{ sku: string }[]> =>
  query<{ sku: string }>(
    sql,
    `select sku from product_changes where type = 'product.restocked' and at >= :since group by sku order by max(at) desc limit :limit`,
    { since: new Date(since), limit },
  );

/** What people have looked at, and what they have ordered, lately: the articles by person, newest first. */
export async function lookedAndBought(
  sql: Sql,
  people: readonly string[],
  since: Instant,
): Promise<Map<string, { viewed: string[]; bought: string[] }>> {
  const rows = await query<{ person_id: string; type: string; sku: string }>(
    sql,
    `select r.person_id, r.type, r.sku from unnest(cast(:people as bigint[])) who(id) cross join lateral (
       select e.person_id, e.type, e.time, coalesce(item ->> 'sku', e.properties ->> 'sku') as sku from (
         select * from events e where e.person_id = who.id and e.time >= :since and e.type in ('product.viewed', 'order.placed')
         order by e.time desc limit 200) e
       left join lateral ${ITEMS_OF_EVENT} item on true) r
     where r.sku is not null order by r.time desc`,
    { people, since: new Date(since) },
  );
  const found = new Map<string, { viewed: string[]; bought: string[] }>(people.map((id) => [id, { viewed: [], bought: [] }]));
  for (const { person_id, type, sku } of rows) {
    const of = type === 'order.placed' ? found.get(person_id)!.bought : found.get(person_id)!.viewed;
    if (!of.includes(sku)) of.push(sku);
  }
  return found;
}
