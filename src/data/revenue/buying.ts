import type { BuyingModel, ValueModel } from '@/core/stats';
import type { Instant } from '@/core/time';
import { ITEMS_OF_EVENT, query, queryOne, rowsOf, type Sql } from '../db';

/** People by the month of their first order: how many of them ordered so many months later, how often and for how much. */
export interface CohortRow {
  readonly month: string;
  readonly later: number;
  readonly people: number;
  readonly orders: number;
  readonly minor: string;
}

/** Cohorts by month of first order, in one currency; of those whose first order held a product, or came from a source, where one is named. */
export async function cohortRows(
  sql: Sql,
  of: { currency: string; zone: string; now: Instant; months: number; product: string | null; source: string | null },
): Promise<CohortRow[]> {
  return query<CohortRow>(
    sql,
    `with firsts as (
       select distinct on (o.person_id) o.person_id, o.order_id, o.placed_at from orders o
       where o.currency = :currency and o.net_minor > 0 and o.placed_at <= :now order by o.person_id, o.placed_at, o.order_id
     ), chosen as (
       select f.person_id, date_trunc('month', f.placed_at at time zone :zone) as month from firsts f
       where f.placed_at >= date_trunc('month', cast(:now as timestamptz) at time zone :zone) at time zone :zone - :months * interval '1 month'
         and ((cast(:product as text) is null and cast(:source as text) is null) or exists (
           select 1 from events e left join sources s on s.id = e.source_id
           where e.person_id = f.person_id and e.type = 'order.placed' and e.properties ->> 'orderId' = f.order_id
             and (cast(:source as text) is null or s.name = :source)
             and (cast(:product as text) is null or exists (select 1 from ${ITEMS_OF_EVENT} item where item ->> 'sku' = :product))))
     )
     select to_char(c.month, 'YYYY-MM') as month,
       ((extract(year from m.at) - extract(year from c.month)) * 12 + extract(month from m.at) - extract(month from c.month))::int as later,
       count(distinct o.person_id)::int as people, count(*)::int as orders, sum(o.net_minor) as minor
     from chosen c join orders o on o.person_id = c.person_id and o.currency = :currency and o.net_minor > 0 and o.placed_at <= :now
     cross join lateral (select date_trunc('month', o.placed_at at time zone :zone) as at) m
     group by 1, 2 order by 1, 2`,
    { ...of, now: new Date(of.now) },
  );
}

/** How many people took a step in a month, and after so many days the next one; or had not yet, and have been seen for so many days. */
export interface ForwardRow {
  readonly step: 'lead' | 'first' | 'second';
  readonly month: string;
  readonly days: number;
  readonly happened: boolean;
  readonly people: number;
}

/**
 * From being known to the first order, from there to the second, and to the third: of those who took the step before in a period. A
 * lead is somebody who is no mere visitor, and had not ordered as they came to be known.
 */
export const forwardRows = (
  sql: Sql,
  of: { from: Instant; to: Instant; now: Instant; zone: string; currency: string },
): Promise<ForwardRow[]> =>
  query<ForwardRow>(
    sql,
    `with nth as (
       select person_id, placed_at, row_number() over (partition by person_id order by placed_at, order_id) as n from orders
       where currency = :currency and net_minor > 0 and placed_at <= :now
     ), orders_of as (
       select person_id, min(placed_at) filter (where n = 1) as o1, min(placed_at) filter (where n = 2) as o2,
         min(placed_at) filter (where n = 3) as o3 from nth where n <= 3 group by 1
     ), steps as (
       select 'lead' as step, p.created_at as at, o.o1 as next from people p left join orders_of o on o.person_id = p.id
       where p.is_known and (o.o1 is null or o.o1 > p.created_at)
       union all select 'first', o1, o2 from orders_of
       union all select 'second', o2, o3 from orders_of where o2 is not null
     )
     select step, to_char(at at time zone :zone, 'YYYY-MM') as month, floor(extract(epoch from coalesce(next, :now) - at) / 86400)::int as days,
       next is not null as happened, count(*)::int as people
     from steps where at >= :from and at <= least(cast(:to as timestamptz), :now) group by 1, 2, 3, 4`,
    { ...of, from: new Date(of.from), to: new Date(of.to), now: new Date(of.now) },
  );

/** How somebody has bought up to a moment: counted from their first order, in weeks. */
export interface BuyerRow {
  readonly person_id: string;
  readonly orders: number;
  readonly first_at: Date;
  readonly last_at: Date;
  readonly mean_minor: number;
}

/** Those who have ordered up to a moment, by number; those after a number, or a sample of so many by lot of their numbers. */
export async function buyerRows(
  sql: Sql,
  of: { currency: string; until: Instant; after?: string; limit: number; isSample?: boolean },
): Promise<BuyerRow[]> {
  return query<BuyerRow>(
    sql,
    `select person_id, count(*)::int as orders, min(placed_at) as first_at, max(placed_at) as last_at, avg(net_minor)::float8 as mean_minor
     from orders where currency = :currency and net_minor > 0 and placed_at <= :until and person_id > :after
     group by person_id order by ${of.isSample ? 'hashint8(person_id), ' : ''}person_id limit :limit`,
    { currency: of.currency, until: new Date(of.until), after: of.after ?? '0', limit: of.limit },
  );
}

/** How many orders each of some people placed in (from, to]. */
export async function ordersBetween(
  sql: Sql,
  personIds: readonly string[],
  currency: string,
  from: Instant,
  to: Instant,
): Promise<Map<string, number>> {
  const rows = await query<{ person_id: string; orders: number }>(
    sql,
    `select person_id, count(*)::int as orders from orders where person_id = any(cast(:personIds as bigint[])) and currency = :currency
       and net_minor > 0 and placed_at > :from and placed_at <= :to group by 1`,
    { personIds, currency, from: new Date(from), to: new Date(to) },
  );
  return new Map(rows.map((row) => [row.person_id, row.orders]));
}

export interface Prediction {
  readonly personId: string;
  readonly active: number;
  readonly orders90: number;
  readonly orderMinor: number;
  readonly yearMinor: number;
  readonly nextAt: Instant | null;
  /** how likely they order within a year, 0 to 1 */
  readonly chanceYear: number;
}
const PREDICTIONS = rowsOf({
  person_id: 'bigint',
  active: 'float',
  orders_90: 'float',
  order_minor: 'bigint',
  year_minor: 'bigint',
  next_at: 'moment',
  chance_year: 'float',
});

/** Some of those of whom something is expected though they have no order left that counts: numbers of people, in order. */
export async function predictedForNothing(sql: Sql, currency: string, now: Instant, limit: number): Promise<string[]> {
  const rows = await query<{ person_id: string }>(
    sql,
    `select p.person_id from predictions p where not exists (select 1 from orders o where o.person_id = p.person_id
       and o.currency = :currency and o.net_minor > 0 and o.placed_at <= :now) order by 1 limit :limit`,
    { currency, now: new Date(now), limit },
  );
  return rows.map((row) => row.person_id);
}

export async function dropPredictions(sql: Sql, personIds: readonly string[]): Promise<void> {
  await query(sql, 'delete from predictions where person_id = any(cast(:personIds as bigint[]))', { personIds });
}

/** Stores what is expected of people, in place of what was. */
export async function savePredictions(sql: Sql, all: readonly Prediction[]): Promise<void> {
  if (!all.length) return;
  await query(
    sql,
    `insert into predictions (person_id, active, orders_90, order_minor, year_minor, next_at, chance_year)
     select person_id, active, orders_90, order_minor, year_minor, next_at, chance_year from ${PREDICTIONS.sql} as r
     on conflict (person_id) do update set active = excluded.active, orders_90 = excluded.orders_90, order_minor = excluded.order_minor,
       year_minor = excluded.year_minor, next_at = excluded.next_at, chance_year = excluded.chance_year`,
    {
      rows: PREDICTIONS.of(
        all.map((one) => ({
          person_id: one.personId,
          active: one.active,
          orders_90: one.orders90,
          order_minor: one.orderMinor,
          year_minor: one.yearMinor,
          next_at: one.nextAt === null ? null : new Date(one.nextAt),
          chance_year: one.chanceYear,
        })),
      ),
    },
  );
}

/** How a fit was held against what people did after it: those with so many repeat orders by then, what they did, and what was expected. */
export interface HeldOut {
  readonly weeks: number;
  readonly people: number;
  readonly expected: number;
  readonly actual: number;
  readonly groups: readonly { readonly repeats: string; readonly people: number; readonly expected: number; readonly actual: number }[];
}
export interface FitRow {
  readonly id: number;
  readonly at: Date;
  readonly buying: BuyingModel;
  readonly value: ValueModel;
  readonly people: number;
  readonly held: HeldOut | null;
  /** whom the reckoning has come to; null once it has come to everybody */
  readonly upto: string | null;
}
export const lastFit = (sql: Sql): Promise<FitRow | null> =>
  queryOne<FitRow>(sql, 'select id::int, at, buying, value, people, held, upto from prediction_fits order by at desc, id desc limit 1');
/** The fit by which everybody is being reckoned, held for this transaction; null where none is, or another has it. */
export const heldFit = (sql: Sql): Promise<(FitRow & { upto: string }) | null> =>
  queryOne<FitRow & { upto: string }>(
    sql,
    `select id::int, at, buying, value, people, held, upto from prediction_fits where id = (select id from prediction_fits order by at desc,
       id desc limit 1) and upto is not null for update skip locked`,
  );
export const noteReckoned = (sql: Sql, id: number, upto: string | null): Promise<unknown> =>
  query(sql, 'update prediction_fits set upto = :upto where id = :id', { id, upto });
export async function keepFit(
  sql: Sql,
  fit: { at: Instant; buying: BuyingModel; value: ValueModel; people: number; held: HeldOut | null },
): Promise<void> {
  await query(sql, 'insert into prediction_fits (at, buying, value, people, held, upto) values (:at, :buying, :value, :people, :held, 0)', {
    at: new Date(fit.at),
    buying: JSON.stringify(fit.buying),
    value: JSON.stringify(fit.value),
    people: fit.people,
    held: fit.held === null ? null : JSON.stringify(fit.held),
  });
}

export const predictionOf = (
  sql: Sql,
  personId: string,
): Promise<{ active: number; orders_90: number; order_minor: string; year_minor: string; next_at: Date | null } | null> =>
  queryOne(sql, 'select active, orders_90, order_minor, year_minor, next_at from predictions where person_id = :personId', { personId });

/** What all predictions come to: how many people are likely active, what a year is expected to bring, and from what on somebody is of the upper tenth. */
export const predictedInAll = (
  sql: Sql,
): Promise<{ people: number; active: number; orders_90: number; year_minor: string; high_minor: string } | null> =>
  queryOne(
    sql,
    `select count(*)::int as people, coalesce(sum(active), 0)::float8 as active, coalesce(sum(orders_90), 0)::float8 as orders_90,
       coalesce(sum(year_minor), 0) as year_minor, coalesce(percentile_disc(0.9) within group (order by year_minor), 0) as high_minor from predictions`,
  );
