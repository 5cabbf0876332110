import type { Withheld } from '@/core/flows';
import type { Instant } from '@/core/time';
import { ITEMS_OF_EVENT, query, queryOne, type Sql } from '../db';

/** What has become of an offer's codes, in minor units of the currency of each order. */
export interface OfferFigures {
  readonly offer: string;
  readonly issued: number;
  readonly open: number;
  readonly used: number;
  readonly expired: number;
  /** lie in store and have not gone to anybody */
  readonly stored: number;
  /** were used by somebody else than whom they were issued to */
  readonly passed_on: number;
  readonly currency: string;
  /** what they took off, and what the orders came to that they were used for, after refunds */
  readonly discount: number;
  readonly net: number;
}

/** The figures of all offers, or of one; those of codes that were issued from a moment on, where one is given. */
export async function offersFigures(
  sql: Sql,
  now: Instant,
  offer: string | null = null,
  from: Instant | null = null,
): Promise<OfferFigures[]> {
  const rows = await query<{ [name in keyof OfferFigures]: string }>(
    sql,
    `select o.key as offer, o.document ->> 'currency' as currency,
       count(c.id) filter (where c.issued_at is not null) as issued,
       count(c.id) filter (where c.issued_at is not null and c.used_at is null and (c.expires_at is null or c.expires_at > :now)) as open,
       count(c.id) filter (where c.used_at is not null) as used,
       count(c.id) filter (where c.used_at is null and c.expires_at <= :now) as expired,
       count(c.id) filter (where c.used_at is not null and c.used_by is distinct from c.person_id) as passed_on,
       (select count(*) from codes s where s.offer = o.key and s.issued_at is null) as stored,
       coalesce(sum(c.discount_minor) filter (where c.currency = o.document ->> 'currency'), 0) as discount,
       coalesce(sum(case when d.is_cancelled then 0 else greatest(0, d.value_minor - d.refunded_minor) end)
         filter (where d.currency = o.document ->> 'currency'), 0) as net
     from offers o left join codes c on c.offer = o.key and c.issued_at is not null
         and (cast(:from as timestamptz) is null or c.issued_at >= cast(:from as timestamptz))
       left join orders d on d.person_id = c.used_by and d.order_id = c.order_id
     where cast(:offer as text) is null or o.key = cast(:offer as text) group by o.key`,
    { now: new Date(now), offer, from: from === null ? null : new Date(from) },
  );
  return rows.map(({ offer: key, currency, ...counts }) => ({
    offer: key,
    currency,
    ...(Object.fromEntries(Object.entries(counts).map(([name, value]) => [name, Number(value)])) as Omit<
      OfferFigures,
      'offer' | 'currency'
    >),
  }));
}

export async function offerFigures(
  sql: Sql,
  now: Instant,
  offer: string,
  zone: string,
): Promise<{
  days: { day: string; issued: number; used: number; expired: number }[];
  flows: { key: string; name: string; issued: number; used: number }[];
}> {
  const days = await query<{ day: string; issued: number; used: number; expired: number }>(
    sql,
    `with lives as (
       select (issued_at at time zone :zone)::date as day, 1 as issued, 0 as used, 0 as expired from codes where offer = :offer and issued_at is not null
       union all select (used_at at time zone :zone)::date, 0, 1, 0 from codes where offer = :offer and used_at is not null
       union all select (expires_at at time zone :zone)::date, 0, 0, 1 from codes where offer = :offer and used_at is null and expires_at <= :now)
     select to_char(day, 'YYYY-MM-DD') as day, sum(issued)::int as issued, sum(used)::int as used, sum(expired)::int as expired
     from lives where day > (cast(:now as timestamptz) at time zone :zone)::date - 90 group by day order by day`,
    { offer, zone, now: new Date(now) },
  );
  const flows = await query<{ key: string; name: string; issued: number; used: number }>(
    sql,
    `select f.key, f.name, count(*)::int as issued, count(c.used_at)::int as used from codes c join flows f on f.id = c.flow_id
     where c.offer = :offer and c.issued_at is not null group by f.key, f.name order by 3 desc, 1`,
    { offer },
  );
  return { days, flows };
}

/**
 * What the goods of the orders cost in which an offer's codes were used, of those of which all costs are known; what was refunded is
 * taken to have come back, with its share of the cost. In minor units of the offer's currency.
 */
export async function costsOf(
  sql: Sql,
  offer: string,
  currency: string,
): Promise<{ orders: number; unknown: number; net: number; cost: number }> {
  const row = await queryOne<{ orders: number; unknown: number; net: string; cost: string }>(
    sql,
    `with used as (
       select distinct d.person_id, d.order_id, d.value_minor, greatest(0, d.value_minor - d.refunded_minor) as net
       from codes c join orders d on d.person_id = c.used_by and d.order_id = c.order_id
       where c.offer = :offer and c.used_at is not null and not d.is_cancelled and d.currency = :currency),
     costs as (
       select u.person_id, u.order_id, min(u.net) as net,
         coalesce(bool_and(p.cost_minor is not null and p.currency = :currency), false) as is_known,
         coalesce(sum(p.cost_minor * case when jsonb_typeof(item -> 'quantity') = 'number'
           then least(greatest((item ->> 'quantity')::numeric, 0), 10000) else 1 end), 0)
           * min(case when u.value_minor > 0 then u.net::numeric / u.value_minor else 0 end) as cost
       from used u
       left join events e on e.person_id = u.person_id and e.type = 'order.placed' and e.properties ->> 'orderId' = u.order_id
       left join lateral ${ITEMS_OF_EVENT} item on true
       left join products p on p.sku = item ->> 'sku'
       group by 1, 2)
     select count(*) filter (where is_known)::int as orders, count(*) filter (where not is_known)::int as unknown,
       coalesce(sum(net) filter (where is_known), 0)::bigint as net, coalesce(round(sum(cost) filter (where is_known)), 0)::bigint as cost
     from costs`,
    { offer, currency },
  );
  return { orders: row!.orders, unknown: row!.unknown, net: Number(row!.net), cost: Number(row!.cost) };
}

/**
 * How many messages the flows that issue an offer have sent since a moment, and what was credited to them: by whether a code of it
 * had gone out in the run by then.
 */
export async function messagesWithAndWithout(
  sql: Sql,
  offer: string,
  since: Instant,
  { currency, model }: { currency: string; model: string },
): Promise<{ with: { messages: number; minor: number }; without: { messages: number; minor: number } }> {
  const rows = await query<{ has: boolean; messages: number; minor: string }>(
    sql,
    `with issuing as (select distinct flow_id from codes where offer = :offer and flow_id is not null),
     sent as (
       select s.person_id, s.id, exists (select 1 from codes c where c.run_id = s.run_id and c.person_id = s.person_id and c.offer = :offer
         and c.issued_at <= s.sent_at) as has
       from sends s where s.flow_id in (select flow_id from issuing) and s.sent_at >= :since and s.kind = 'marketing')
     select sent.has, count(distinct sent.id)::int as messages, coalesce(sum(k.minor), 0)::bigint as minor
     from sent left join credits k on k.person_id = sent.person_id and k.send_id = sent.id and k.model = :model and k.currency = :currency
     group by 1`,
    { offer, since: new Date(since), currency, model },
  );
  const of = (has: boolean) => {
    const row = rows.find((one) => one.has === has);
    return { messages: row?.messages ?? 0, minor: Number(row?.minor ?? 0) };
  };
  return { with: of(true), without: of(false) };
}

export interface WithheldRow {
  readonly why: Withheld['why'];
  readonly people: number;
  readonly times: number;
}

/** For whom and why an offer's guard has kept codes back since a moment: by reason, those it kept most from first. */
export async function withheldOf(
  sql: Sql,
  offer: string,
  since: Instant,
): Promise<{ reasons: WithheldRow[]; people: { id: string; name: string; why: Withheld['why']; times: number; last_at: Date }[] }> {
  const of = { offer, since: new Date(since) };
  const reasons = await query<WithheldRow>(
    sql,
    `select saw #>> '{withheld,why}' as why, count(distinct person_id)::int as people, count(*)::int as times from traces
     where kind = 'withheld' and at >= :since and saw ->> 'of' = :offer group by 1 order by 2 desc, 1`,
    of,
  );
  const people = await query<{ id: string; name: string; why: Withheld['why']; times: number; last_at: Date }>(
    sql,
    `select coalesce(p.external_id, '~' || p.id) as id,
       coalesce(nullif(trim(concat_ws(' ', p.attributes ->> 'firstName', p.attributes ->> 'lastName')), ''), p.attributes ->> 'email', '') as name,
       t.why, t.times, t.last_at
     from (select person_id, saw #>> '{withheld,why}' as why, count(*)::int as times, max(at) as last_at from traces
       where kind = 'withheld' and at >= :since and saw ->> 'of' = :offer group by 1, 2) t
     join people p on p.id = t.person_id and p.erased_at is null order by t.times desc, t.last_at desc limit 100`,
    of,
  );
  return { reasons, people };
}

/** People who got a code of an offer in flows, or were drawn to get none, and had some days since: how many of each ordered within them. */
export async function heldOutOf(
  sql: Sql,
  offer: string,
  since: Instant,
  until: Instant,
  days: number,
): Promise<{ with: { people: number; ordered: number }; without: { people: number; ordered: number } }> {
  const rows = await query<{ got: boolean; people: number; ordered: number }>(
    sql,
    `with decided as (
       select person_id, kind = 'issued' as got, min(at) as at from traces
       where at >= :since and at <= :until and ((kind = 'issued' and saw ->> 'offer' = :offer)
         or (kind = 'withheld' and saw ->> 'of' = :offer and saw #>> '{withheld,why}' = 'lot')) group by 1, 2)
     select got, count(*)::int as people, count(*) filter (where exists (select 1 from orders o where o.person_id = d.person_id and not o.is_cancelled
       and o.placed_at > d.at and o.placed_at <= d.at + make_interval(days => cast(:days as int))))::int as ordered from decided d group by 1`,
    { offer, since: new Date(since), until: new Date(until), days },
  );
  const of = (got: boolean) => {
    const row = rows.find((one) => one.got === got);
    return { people: row?.people ?? 0, ordered: row?.ordered ?? 0 };
  };
  return { with: of(true), without: of(false) };
}
