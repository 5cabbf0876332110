import { CREDIT_MODELS, type Grain } from '@/core/revenue';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

/**
 * The days of a period of which the sums stand for the rows (`clean`), and the stretches of it of which the rows themselves have to be
 * read (`open`): the days at its ends, those that have changed since they were summed up, and those that were not yet.
 */
const PERIOD = `zone as (select zone from store),
  days as (
    select d::date as day, cast(d::date as timestamp) at time zone zone as begins, cast(d::date + 1 as timestamp) at time zone zone as ends
    from zone, generate_series(
      date_trunc('day', greatest(cast(:from as timestamptz), (select min(at) from bookings)) at time zone zone),
      date_trunc('day', least(cast(:to as timestamptz), (select max(at) from bookings)) at time zone zone), interval '1 day') d),
  clean as materialized (
    select day from days where begins >= :from and ends <= cast(:to as timestamptz) + interval '1 millisecond'
      and exists (select 1 from summed_days s where s.day = days.day) and not exists (select 1 from stale_days s where s.day = days.day)),
  open as materialized (
    select greatest(min(begins), :from) as begins, max(ends) as ends from (
      select begins, ends, day - (row_number() over (order by day))::int as stretch from days where day not in (select day from clean)) d
    group by stretch)`;
/**
 * What is open is read stretch by stretch and what is clean day by day, each by its index: `offset 0` keeps PostgreSQL from joining the
 * whole tables instead, of which it cannot know how few rows are wanted.
 */
const BOOKED = `open cross join lateral (select * from bookings b where b.at >= open.begins and b.at < open.ends and b.at <= :to offset 0) b`;
const CREDITED = (models: string) =>
  `${models} cross join open cross join lateral (select * from credits c where c.model = m.model and c.placed_at >= open.begins
     and c.placed_at < open.ends and c.placed_at <= :to offset 0) c`;
const TAKEN_DAYS = `clean cross join lateral (select * from takings_days t where t.day = clean.day offset 0) t`;
const CREDIT_DAYS = (of: string) => `clean cross join lateral (select * from credit_days k where k.day = clean.day and ${of} offset 0) k`;
const ONE_MODEL = `(select cast(:model as text) as model) m`;
const ALL_MODELS = `(values ${CREDIT_MODELS.map((model) => `('${model}')`).join(', ')}) m (model)`;

const moments = (from: Instant, to: Instant) => ({ from: new Date(from), to: new Date(to) });

export interface RevenueRow {
  currency: string;
  takings: string;
  credited: string;
  orders: number;
}

/** Takings and credited revenue by currency, of what was booked in [from, to]. */
export async function revenueTotals(sql: Sql, from: Instant, to: Instant, model: string): Promise<RevenueRow[]> {
  return query<RevenueRow>(
    sql,
    `with ${PERIOD}, taken as (
       select t.currency, t.takings, t.orders from ${TAKEN_DAYS}
       union all
       select b.currency, sum(b.minor), count(*) filter (where b.part = 0) from ${BOOKED} group by 1
     ), credited as (
       select k.currency, k.minor from ${CREDIT_DAYS(`k.model = :model and k.step_id = ''`)}
       union all
       select c.currency, sum(c.minor) from ${CREDITED(ONE_MODEL)} group by 1
     )
     select t.currency, sum(t.takings) as takings, sum(t.orders)::int as orders,
       coalesce((select sum(c.minor) from credited c where c.currency = t.currency), 0) as credited
     from taken t group by 1 order by 1`,
    { ...moments(from, to), model },
  );
}

export interface CreditedRow {
  flow_id: number;
  flow_key: string;
  flow_name: string;
  version: number | null;
  step_id: string | null;
  currency: string;
  minor: string;
  orders: number;
}

/**
 * Credited revenue by flow and message; a row without a step is the flow as a whole, which counts an order once however many messages
 * share it. Orders count on the day they were placed.
 */
export async function creditedBySource(sql: Sql, from: Instant, to: Instant, model: string): Promise<CreditedRow[]> {
  return query<CreditedRow>(
    sql,
    `with ${PERIOD}, credited as (
       select k.flow_id, k.currency, k.step_id, k.minor, k.orders from ${CREDIT_DAYS('k.model = :model')}
       union all
       select c.flow_id, c.currency, coalesce(c.step_id, ''), sum(c.minor), count(distinct (c.person_id, c.order_id)) filter (where c.part = 0)
       from ${CREDITED(ONE_MODEL)} group by grouping sets ((c.flow_id, c.currency), (c.flow_id, c.currency, c.step_id))
     )
     select f.id as flow_id, f.key as flow_key, f.name as flow_name, f.version, nullif(c.step_id, '') as step_id, c.currency,
       sum(c.minor) as minor, sum(c.orders)::int as orders
     from credited c join flows f on f.id = c.flow_id group by 1, 2, 3, 4, 5, 6 order by minor desc, f.id, step_id nulls first`,
    { ...moments(from, to), model },
  );
}

/** What is credited by each model, in one currency: side by side for all flows and their messages. */
export async function creditedByModel(
  sql: Sql,
  from: Instant,
  to: Instant,
  currency: string,
): Promise<{ flow: string; name: string; step: string | null; model: string; minor: string }[]> {
  return query(
    sql,
    `with ${PERIOD}, credited as (
       select k.flow_id, k.step_id, k.model, k.minor from ${CREDIT_DAYS('k.currency = :currency')}
       union all
       select c.flow_id, coalesce(c.step_id, ''), c.model, sum(c.minor) from ${CREDITED(ALL_MODELS)} where c.currency = :currency
       group by grouping sets ((c.flow_id, c.model), (c.flow_id, c.model, c.step_id))
     )
     select f.key as flow, f.name, nullif(c.step_id, '') as step, c.model, sum(c.minor) as minor
     from credited c join flows f on f.id = c.flow_id group by 1, 2, 3, 4`,
    { ...moments(from, to), currency },
  );
}

export interface DayRow {
  day: string;
  takings: string;
  credited: string;
}
export interface OtherDayRow extends DayRow {
  readonly currency: string;
}

/** Takings and credit by currency and day, of those currencies that `of` lets through. */
const byDays = (of: (currency: string) => string) => `taken as (
    select t.day, t.currency, t.takings as minor from ${TAKEN_DAYS} where ${of('t.currency')}
    union all
    select (b.at at time zone zone)::date, b.currency, sum(b.minor) from zone cross join ${BOOKED} where ${of('b.currency')} group by 1, 2
  ), credited as (
    select k.day, k.currency, k.minor from ${CREDIT_DAYS(`k.model = :model and k.step_id = '' and ${of('k.currency')}`)}
    union all
    select (c.placed_at at time zone zone)::date, c.currency, sum(c.minor) from zone cross join ${CREDITED(ONE_MODEL)}
    where ${of('c.currency')} group by 1, 2
  )`;

/** Takings and credited revenue of each local day, week (from Monday on) or month in one currency; `day` is the first of it. */
export async function revenueByDay(
  sql: Sql,
  from: Instant,
  to: Instant,
  currency: string,
  model: string,
  grain: Grain = 'day',
): Promise<DayRow[]> {
  const first = (at: string) => `date_trunc('${grain}', ${at} at time zone (select zone from zone))::date`;
  const grouped = (table: string) => `(select date_trunc('${grain}', day)::date as day, sum(minor) as minor from ${table} group by 1)`;
  return query<DayRow>(
    sql,
    `with ${PERIOD}, ${byDays((of) => `${of} = :currency`)}
     select to_char(day, 'YYYY-MM-DD') as day, coalesce(t.minor, 0) as takings, coalesce(c.minor, 0) as credited
     from (select generate_series(${first('cast(:from as timestamptz)')}, ${first('cast(:to as timestamptz)')}, interval '1 ${grain}')::date as day) d
     left join ${grouped('taken')} t using (day) left join ${grouped('credited')} c using (day) order by day`,
    { ...moments(from, to), currency, model },
  );
}

/** Takings and credited revenue of each local day in currencies other than one. */
export async function otherCurrencies(
  sql: Sql,
  of: { from: Instant; to: Instant; currency: string; model: string },
): Promise<OtherDayRow[]> {
  return query<OtherDayRow>(
    sql,
    `with ${PERIOD}, ${byDays((one) => `${one} <> :currency`)}
     select currency, to_char(day, 'YYYY-MM-DD') as day, sum(taken) as takings, sum(credited) as credited from (
       select currency, day, minor as taken, 0 as credited from taken union all select currency, day, 0, minor from credited) d
     group by 1, 2 order by 1, 2`,
    { currency: of.currency, model: of.model, ...moments(of.from, of.to) },
  );
}

/** So many days are summed up in one transaction. */
const DAYS_AT_ONCE = 60;

/**
 * Sums up days that are over and were not yet, or have changed since, the newest first: to be called in a transaction of repeatable
 * reads. What changes meanwhile leaves its note, which this does not see and so leaves. Answers how many days.
 */
export async function sumDays(sql: Sql, now: Instant): Promise<number> {
  const [lock] = await query<{ taken: boolean }>(sql, `select pg_try_advisory_xact_lock(hashtext('sum days')) as taken`);
  if (!lock?.taken) return 0;
  // what left a note that is seen here is seen by whoever sums that day up later
  await query(sql, 'delete from stale_days n where not exists (select 1 from summed_days s where s.day = n.day)');
  const days = (
    await query<{ day: string }>(
      sql,
      `with zone as (select zone from store), days as (
         select d::date as day from zone, generate_series(date_trunc('day', (select min(at) from bookings) at time zone zone),
           date_trunc('day', cast(:now as timestamptz) at time zone zone) - interval '1 day', interval '1 day') d)
       select to_char(day, 'YYYY-MM-DD') as day from days
       where not exists (select 1 from summed_days s where s.day = days.day) or exists (select 1 from stale_days s where s.day = days.day)
       order by days.day desc limit ${DAYS_AT_ONCE}`,
      { now: new Date(now) },
    )
  ).map((row) => row.day);
  if (!days.length) return 0;
  for (const table of ['stale_days', 'takings_days', 'credit_days', 'summed_days'])
    await query(sql, `delete from ${table} where day = any(cast(:days as date[]))`, { days });
  const range = `select day, cast(day as timestamp) at time zone zone as begins, cast(day + 1 as timestamp) at time zone zone as ends
    from unnest(cast(:days as date[])) day, store`;
  await query(
    sql,
    `insert into takings_days (day, currency, takings, orders)
     select d.day, b.currency, sum(b.minor), count(*) filter (where b.part = 0) from (${range}) d
     join bookings b on b.at >= d.begins and b.at < d.ends group by 1, 2`,
    { days },
  );
  await query(
    sql,
    `insert into credit_days (day, currency, model, flow_id, step_id, minor, orders)
     select d.day, c.currency, c.model, c.flow_id, coalesce(c.step_id, ''), sum(c.minor),
       count(distinct (c.person_id, c.order_id)) filter (where c.part = 0)
     from ${ALL_MODELS} cross join (${range}) d join credits c on c.model = m.model and c.placed_at >= d.begins and c.placed_at < d.ends
     group by grouping sets ((d.day, c.currency, c.model, c.flow_id), (d.day, c.currency, c.model, c.flow_id, c.step_id))`,
    { days },
  );
  await query(sql, 'insert into summed_days select unnest(cast(:days as date[]))', { days });
  return days.length;
}
