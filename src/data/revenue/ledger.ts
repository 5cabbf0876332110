import { currencyDigits } from '@/core/money';
import { CREDIT_MODELS, type Split } from '@/core/revenue';
import type { Instant } from '@/core/time';
import { ITEMS_OF_EVENT, query, queryOne, type Sql } from '../db';

/** A share that a message has in an order, by one model. */
export interface LedgerShare {
  readonly flow: string;
  readonly name: string;
  readonly step: string;
  readonly because: 'click' | 'open' | 'delivery';
  readonly minor: number;
}

export interface LedgerRow {
  readonly order_id: string;
  readonly person_id: string;
  readonly email: string | null;
  readonly placed_at: Date;
  readonly currency: string;
  /** what is left of what counts of it */
  readonly net: string;
  readonly value_minor: string;
  readonly refunded_minor: string;
  readonly is_cancelled: boolean;
  readonly credited: string;
  readonly shares: LedgerShare[];
}

/** Which orders are meant: those with a share of a flow or message, and of these parts of splits. */
export interface LedgerOf {
  readonly flow: string | null;
  readonly step: string | null;
  readonly credited: 'yes' | 'no' | null;
  readonly parts: readonly { readonly by: Split; readonly key: string }[];
}

/** Somebody's first order that was not cancelled, or was all that they placed. */
const IS_FIRST = `not exists (select 1 from orders e where e.person_id = o.person_id and e.placed_at is not null
  and (e.placed_at, e.order_id) < (o.placed_at, o.order_id))`;

/** The ledger, newest order first: each order with its credits, or none. `before` continues after the last row seen. */
export async function ledger(
  sql: Sql,
  from: Instant,
  to: Instant,
  model: string,
  of: LedgerOf,
  limit: number,
  before: { at: Instant; orderId: string; personId: string } | null,
): Promise<LedgerRow[]> {
  return query<LedgerRow>(
    sql,
    `select o.order_id, o.person_id, p.email, o.placed_at, o.currency, o.net_minor as net, o.value_minor, o.refunded_minor, o.is_cancelled,
       coalesce(c.credited, 0) as credited, coalesce(c.shares, '[]') as shares
     from orders o join people p on p.id = o.person_id
     left join lateral (
       select sum(k.minor) as credited, json_agg(json_build_object('flow', f.key, 'name', f.name, 'step', k.step_id, 'because', k.because,
         'minor', k.minor) order by k.minor desc, k.send_id) as shares
       from (select c.send_id, c.flow_id, c.step_id, c.because, sum(c.minor) as minor from credits c
         where c.person_id = o.person_id and c.order_id = o.order_id and c.model = :model group by 1, 2, 3, 4 having sum(c.minor) <> 0) k
       join flows f on f.id = k.flow_id) c on true
     where o.placed_at >= :from and o.placed_at <= :to
       and (cast(:beforeAt as timestamptz) is null or (o.placed_at, o.order_id, o.person_id) < (cast(:beforeAt as timestamptz),
         cast(:beforeId as text), cast(:beforePerson as bigint)))
       and (cast(:flow as text) is null or exists (select 1 from credits k join flows f on f.id = k.flow_id where k.person_id = o.person_id
         and k.order_id = o.order_id and k.model = :model and f.key = :flow and (cast(:step as text) is null or k.step_id = :step)))
       ${of.parts.map(({ by }, n) => `and ${isOf(by, `:part${n}`)}`).join('\n')}
       and (cast(:isCredited as text) is null or (coalesce(c.credited, 0) > 0) = (cast(:isCredited as text) = 'yes'))
     order by o.placed_at desc, o.order_id desc, o.person_id desc limit :limit`,
    {
      from: new Date(from),
      to: new Date(to),
      model,
      limit,
      flow: of.flow,
      step: of.step,
      ...Object.fromEntries(of.parts.map(({ key }, n) => [`part${n}`, key])),
      isCredited: of.credited,
      beforeAt: before ? new Date(before.at) : null,
      beforeId: before?.orderId ?? null,
      beforePerson: before?.personId ?? null,
    },
  );
}

export interface SplitRow {
  readonly key: string;
  readonly name: string | null;
  readonly orders: number;
  readonly takings: string;
  readonly credited: string;
}

/** How something is split: the key of its part, what is to be joined for it, and what a part is called where it has a name on file. */
interface Splitting {
  readonly key: string;
  readonly from: string;
  readonly name?: string;
}

const OFFER = `(select k.offer from codes k where k.used_by = o.person_id and k.order_id = o.order_id order by k.discount_minor desc nulls last, k.id limit 1)`;
const PLACED = `e.person_id = o.person_id and e.type = 'order.placed' and e.properties ->> 'orderId' = o.order_id`;

/** Parts of orders `o`. Only of channels, arms and links it is the credit that is split; an order may be of several products or segments. */
const OF_ORDERS: { readonly [split in Split]?: Splitting } = {
  offer: { key: `coalesce(${OFFER}, '')`, from: '', name: `(select document ->> 'name' from offers where key = s.key)` },
  first: { key: `case when ${IS_FIRST} then 'first' else 'repeat' end`, from: '' },
  source: { key: `coalesce((select s.name from events e join sources s on s.id = e.source_id where ${PLACED} limit 1), '')`, from: '' },
  product: {
    key: `i.sku`,
    from: `cross join lateral (select distinct item ->> 'sku' as sku from events e cross join lateral ${ITEMS_OF_EVENT} item where ${PLACED}
      and item ->> 'sku' is not null) i`,
    name: `(select name from products where sku = s.key)`,
  },
  category: {
    key: `i.category`,
    from: `cross join lateral (select distinct unnest(p.categories) as category from events e cross join lateral ${ITEMS_OF_EVENT} item
      join products p on p.sku = item ->> 'sku' where ${PLACED}) i`,
  },
  segment: {
    key: `g.key`,
    from: `join segment_members m on m.person_id = o.person_id join segments g on g.id = m.segment_id and g.archived_at is null`,
    name: `(select document ->> 'name' from segments where key = s.key)`,
  },
};

/** Parts of credits `c` of messages `s`: by what was sent, by the arm of a test that its run had drawn, by the link that was clicked last. */
const OF_CREDITS: { readonly [split in Split]?: Splitting } = {
  channel: { key: `s.channel`, from: '' },
  arm: {
    key: `f.key || ' ' || a.arm`,
    from: `join runs r on r.person_id = s.person_id and r.id = s.run_id join flows f on f.id = c.flow_id cross join lateral unnest(r.arms) as a (arm)`,
  },
  link: {
    key: `l.url`,
    from: `cross join lateral (select e.properties ->> 'url' as url from events e where c.because = 'click' and e.person_id = s.person_id
      and e.type = 'message.clicked'
      and e.properties ->> 'sendId' = s.id::text and e.properties ->> 'url' <> '' and e.time <= c.placed_at order by e.time desc, e.id desc limit 1) l`,
  },
};
const MESSAGES_OF_CREDITS = 'join sends s on s.person_id = c.person_id and s.id = c.send_id';

/** Whether an order `o` belongs to a part of a split. */
function isOf(split: Split, key: string): string {
  const ofOrders = OF_ORDERS[split];
  if (ofOrders) return `exists (select 1 from (values (1)) one (n) ${ofOrders.from} where ${ofOrders.key} = ${key})`;
  const { key: own, from } = OF_CREDITS[split]!;
  return `exists (select 1 from credits c ${MESSAGES_OF_CREDITS} ${from} where c.person_id = o.person_id and c.order_id = o.order_id
    and c.model = :model and ${own} = ${key})`;
}

/**
 * Takings and credit of the orders placed in a period, in one currency, split. By channel, arm and link only credit is split, and an
 * order counts for each that has a share in it; by product, category and segment an order counts whole for each of which it holds something.
 */
export async function splitRevenue(
  sql: Sql,
  split: Split,
  from: Instant,
  to: Instant,
  model: string,
  currency: string,
): Promise<SplitRow[]> {
  const values = { from: new Date(from), to: new Date(to), model, currency };
  const ofCredits = OF_CREDITS[split];
  if (ofCredits)
    return query<SplitRow>(
      sql,
      `select ${ofCredits.key} as key, null as name, count(distinct (c.person_id, c.order_id))::int as orders, 0 as takings,
         sum(c.minor) as credited
       from credits c ${MESSAGES_OF_CREDITS} ${ofCredits.from}
       where c.model = :model and c.currency = :currency and c.placed_at >= :from and c.placed_at <= :to group by 1 order by 5 desc, 1`,
      values,
    );
  const { key, from: more, name } = OF_ORDERS[split]!;
  return query<SplitRow>(
    sql,
    `select s.key, ${name ?? 'null'} as name, s.orders, s.takings, s.credited from (
       select ${key} as key, count(*)::int as orders, sum(o.net_minor) as takings, coalesce(sum(c.minor), 0) as credited
       from orders o ${more}
       left join lateral (select sum(c.minor) as minor from credits c where c.person_id = o.person_id and c.order_id = o.order_id
         and c.model = :model) c on true
       where o.placed_at >= :from and o.placed_at <= :to and o.currency = :currency group by 1) s
     order by s.takings desc, s.key`,
    values,
  );
}

/** So many differences are told of at most. */
export const MOST_DIFFERENCES = 100;

/** What the check of the ledger has found that does not add up. */
export interface LedgerDifference {
  readonly person_id: string;
  readonly order_id: string;
  readonly what: string;
}

/**
 * Everything in the ledger that does not add up, up to a hundred: computed a second time, from the events themselves and without the
 * code that writes the ledger. The bookings of an order sum to what is left of it, by each model its credits do so too or are none,
 * and all models credit the same orders; an order id of a source has one owner; where everything that was paid counts, what is left
 * is what the events say.
 */
export async function ledgerDifferences(sql: Sql, countsAll: boolean): Promise<{ orders: number; differences: LedgerDifference[] }> {
  const [{ orders } = { orders: 0 }] = await query<{ orders: number }>(
    sql,
    'select count(*)::int as orders from orders where placed_at is not null',
  );
  const differences = await query<LedgerDifference>(
    sql,
    `with booked as (select person_id, order_id, sum(minor) as minor from bookings group by 1, 2),
     credited as (select person_id, order_id, model, sum(minor) as minor from credits group by 1, 2, 3),
     models as (select person_id, order_id, count(*) as models from credited group by 1, 2),
     told as (
       select e.person_id, e.properties ->> 'orderId' as order_id,
         (array_agg(e.properties order by e.time desc, e.id desc) filter (where e.type = 'order.placed'))[1] as placed,
         bool_or(e.type = 'order.cancelled' and jsonb_typeof(e.properties -> 'value') is distinct from 'number') as is_cancelled,
         bool_or(e.type = 'order.refunded' and jsonb_typeof(e.properties -> 'value') is distinct from 'number') as is_refunded,
         array_agg((e.properties ->> 'value')::numeric) filter (where e.type <> 'order.placed'
           and jsonb_typeof(e.properties -> 'value') = 'number') as back
       from events e where e.type in ('order.placed', 'order.cancelled', 'order.refunded') and jsonb_typeof(e.properties -> 'orderId') = 'string'
         and cast(:countsAll as boolean) group by 1, 2)
     select * from (
       select o.person_id, o.order_id, 'its bookings sum to ' || coalesce(b.minor, 0) || ' and not to ' || o.net_minor as what
       from orders o left join booked b using (person_id, order_id) where o.placed_at is not null and coalesce(b.minor, 0) <> o.net_minor
       union all
       select c.person_id, c.order_id, 'by ' || c.model || ' ' || c.minor || ' is credited and not ' || coalesce(o.net_minor::text, 'an order')
       from credited c left join orders o using (person_id, order_id) where c.minor is distinct from o.net_minor
       union all
       select m.person_id, m.order_id, 'only ' || m.models || ' models credit it' from models m join orders o using (person_id, order_id)
       where m.models <> :models and o.net_minor > 0
       union all
       select o.person_id, o.order_id, 'its events leave another amount of it' from orders o join told t using (person_id, order_id)
       where t.placed is not null and o.currency = coalesce(t.placed ->> 'currency', o.currency)
         and o.net_minor <> case when t.is_cancelled or t.is_refunded then 0 else greatest(0, o.value_minor - least(o.value_minor,
           coalesce((select sum(floor(greatest(0, x) * :unit + 0.5)) from unnest(t.back) x), 0))) end
         and o.currency = :currency
       union all
       select o.person_id, o.order_id, 'its events say another value of it' from orders o join told t using (person_id, order_id)
       where t.placed is not null and jsonb_typeof(t.placed -> 'value') = 'number' and o.currency = :currency
         and coalesce(t.placed ->> 'currency', :currency) = :currency
         and o.value_minor <> greatest(0, floor((t.placed ->> 'value')::numeric * :unit + 0.5))
       union all
       select o.person_id, o.order_id, 'more than one person has it' from orders o join (
         select o.order_id from (select order_id from orders where placed_at is not null group by 1 having count(*) > 1) many
           join orders o using (order_id) join events e on e.person_id = o.person_id and e.type = 'order.placed'
             and e.properties ->> 'orderId' = o.order_id
         group by o.order_id, e.source having count(distinct o.person_id) > 1) doubled using (order_id)
       union all
       select 0, t.day || ' ' || t.currency, 'the sums of the day are kept as ' || t.takings || ' and not as ' || coalesce(b.minor, 0)
       from takings_days t join summed_days using (day) cross join store s
       left join lateral (select sum(b.minor) as minor from bookings b where b.currency = t.currency
         and b.at >= cast(t.day as timestamp) at time zone s.zone and b.at < cast(t.day + 1 as timestamp) at time zone s.zone) b on true
       where t.takings <> coalesce(b.minor, 0) and not exists (select 1 from stale_days d where d.day = t.day)
     ) d limit ${MOST_DIFFERENCES}`,
    { countsAll, models: CREDIT_MODELS.length, ...(await unitOf(sql)) },
  );
  return { orders, differences };
}

/** The store's currency, with how many minor units one of it has. */
async function unitOf(sql: Sql): Promise<{ currency: string; unit: number }> {
  const { currency } = (await queryOne<{ currency: string }>(sql, 'select currency from store'))!;
  return { currency, unit: 10 ** (currencyDigits(currency) ?? 2) };
}

export interface LedgerCheckRow {
  readonly at: Date;
  readonly orders: number;
  readonly differences: LedgerDifference[];
  readonly took_ms: number;
}
export const lastCheck = (sql: Sql): Promise<LedgerCheckRow | null> =>
  queryOne<LedgerCheckRow>(sql, 'select at, orders, differences, took_ms from ledger_checks order by at desc limit 1');

export async function keepCheck(
  sql: Sql,
  check: { at: Instant; orders: number; differences: readonly LedgerDifference[]; tookMs: number },
): Promise<void> {
  await query(sql, 'insert into ledger_checks (at, orders, differences, took_ms) values (:at, :orders, :differences, :tookMs)', {
    ...check,
    at: new Date(check.at),
    differences: JSON.stringify(check.differences),
  });
  await query(sql, `delete from ledger_checks where at < (select max(at) from ledger_checks) - interval '90 days'`);
}

/** Begins to compute everybody's ledger anew; one that is under way begins again. */
export async function beginRebuild(sql: Sql): Promise<void> {
  await query(
    sql,
    `insert into ledger_rebuilds (upto, began_at) values (0, now()) on conflict (id) do update set upto = 0, began_at = now()`,
  );
}

/** The next people whose ledger is to be computed anew, with the rebuild held for this transaction; null where none is under way, or another has it. */
export async function nextOfRebuild(sql: Sql, limit: number): Promise<string[] | null> {
  const row = await queryOne<{ upto: string }>(sql, 'select upto from ledger_rebuilds for update skip locked');
  if (!row) return null;
  const people = await query<{ person_id: string }>(
    sql,
    `select distinct person_id from orders where person_id > :upto order by person_id limit :limit`,
    { upto: row.upto, limit },
  );
  return people.map(({ person_id: id }) => id);
}

export async function noteRebuilt(sql: Sql, upto: string | null): Promise<void> {
  await query(
    sql,
    upto === null ? 'delete from ledger_rebuilds' : 'update ledger_rebuilds set upto = :upto',
    upto === null ? {} : { upto },
  );
}

/** How far a rebuild has come: of how many people with orders it has come to how many; null where none is under way. */
export const rebuildNow = (sql: Sql): Promise<{ done: number; of: number } | null> =>
  queryOne(
    sql,
    `select (select count(distinct person_id)::int from orders where person_id <= r.upto) as done,
       (select count(distinct person_id)::int from orders) as of from ledger_rebuilds r`,
  );

/** The sends of somebody, by number: what they were of, for telling of their share in an order. */
export const sendsOfPerson = (
  sql: Sql,
  personId: string,
): Promise<
  { id: string; flow: string; name: string; step: string; version: number; flow_id: number; channel: string; sent_at: Date | null }[]
> =>
  query(
    sql,
    `select s.id, f.key as flow, f.name, s.step_id as step, s.version, s.flow_id, s.channel, s.sent_at from sends s join flows f on f.id = s.flow_id
     where s.person_id = :personId`,
    { personId },
  );

/** Whose order it is, of those with this number the one placed last; null where there is none. */
export const ownerOfOrder = async (sql: Sql, orderId: string): Promise<string | null> =>
  (
    await queryOne<{ person_id: string }>(
      sql,
      'select person_id from orders where order_id = :orderId order by placed_at desc nulls last limit 1',
      { orderId },
    )
  )?.person_id ?? null;
