import { OTHER_DIGITS } from '@/core/money';
import { DAY, HOUR, type Instant } from '@/core/time';
import { query, type Sql } from '../db';

/** How long after its last change a cart counts as left (common practice: half an hour to two hours). */
const LEFT_AFTER_MS = HOUR;

/** For how long after it was left a cart can be won back. */
export const CART_WINDOW_MS = 7 * DAY;

/** Stores the carts of people as they stood last, from their events; null for everybody. */
export async function refreshCarts(sql: Sql, personIds: readonly string[] | null): Promise<void> {
  if (personIds && !personIds.length) return;
  await query(
    sql,
    `insert into carts (person_id, cart_id, updated_at, value_minor, currency, items, source_id)
     select distinct on (e.person_id, left(e.properties ->> 'cartId', 200)) e.person_id, left(e.properties ->> 'cartId', 200), e.time,
       case when jsonb_typeof(e.properties -> 'value') = 'number' then least(1e15, greatest(0, floor((e.properties ->> 'value')::numeric
         * power(10::numeric, coalesce((cast(:digits as jsonb) ->> (e.properties ->> 'currency'))::int, 2)) + 0.5)))::bigint else 0 end,
       coalesce(left(e.properties ->> 'currency', 3), (select currency from store)),
       case when jsonb_typeof(e.properties -> 'items') = 'array' then e.properties -> 'items' else '[]' end, e.source_id
     from events e
     where e.type = 'cart.updated' and jsonb_typeof(e.properties -> 'cartId') = 'string'
       and (cast(:personIds as bigint[]) is null or e.person_id = any(cast(:personIds as bigint[])))
     order by e.person_id, left(e.properties ->> 'cartId', 200), e.time desc, e.id desc
     on conflict (person_id, cart_id) do update set updated_at = excluded.updated_at, value_minor = excluded.value_minor,
       currency = excluded.currency, items = excluded.items, source_id = excluded.source_id
     where (carts.updated_at, carts.value_minor, carts.items) is distinct from (excluded.updated_at, excluded.value_minor, excluded.items)`,
    { personIds, digits: JSON.stringify(OTHER_DIGITS) },
  );
}

/** What became of a cart that was left. */
export type CartState = 'open' | 'won' | 'gone' | 'unreachable';

export interface CartRow {
  readonly person_id: string;
  readonly cart_id: string;
  readonly left_at: Date;
  readonly value_minor: string;
  readonly items: { readonly name?: unknown; readonly sku?: unknown; readonly quantity?: unknown }[];
  readonly state: CartState;
  readonly order_id: string | null;
  readonly ordered_at: Date | null;
  readonly net_minor: string | null;
  /** how it came back: after a click in a message of ours, after one was sent, or by itself */
  readonly how: 'clicked' | 'sent' | 'itself' | null;
  /** the message clicked last, else sent last, since it was left */
  readonly flow: string | null;
  readonly flow_name: string | null;
  readonly step: string | null;
  readonly messages: number;
  readonly is_first: boolean;
  readonly source: string | null;
  readonly offer: string | null;
  readonly name: string;
  readonly email: string | null;
}

/** Carts that were left in a period, each with the next order of its person and what became of it: as `told`, the beginning of a statement. */
const TOLD = `with shop as (
    select c.*, c.updated_at + :leftMs * interval '1 millisecond' as left_at from carts c
    where c.currency = :currency and c.value_minor > 0 and c.updated_at + :leftMs * interval '1 millisecond' >= :from
      and c.updated_at + :leftMs * interval '1 millisecond' <= least(cast(:to as timestamptz), cast(:now as timestamptz))
  ), left_ones as (
    select s.*, o.order_id, o.placed_at as ordered_at, o.net_minor, p.email,
      coalesce(nullif(trim(concat_ws(' ', p.attributes ->> 'firstName', p.attributes ->> 'lastName')), ''), p.email, '~' || p.id) as name,
      coalesce((select k.state = 'given' from consents k where k.person_id = p.id and k.channel = 'email'), false) and p.email is not null
        and not exists (select 1 from suppressions x where x.channel = 'email' and x.address = p.email) as can_be_written
    from shop s join people p on p.id = s.person_id
    left join lateral (select o.order_id, o.placed_at, o.net_minor from orders o where o.person_id = s.person_id and o.placed_at > s.updated_at
      order by o.placed_at, o.order_id limit 1) o on true
    where o.placed_at is null or o.placed_at > s.left_at
  ), told as (
    select l.*, case
        when l.ordered_at <= l.left_at + :windowMs * interval '1 millisecond' then 'won'
        when not l.can_be_written then 'unreachable'
        when l.left_at + :windowMs * interval '1 millisecond' > :now then 'open' else 'gone' end as state
    from left_ones l
  )`;

/**
 * The carts that were left in a period, by the end of the hour after their last change, with what became of them. A cart is won back by
 * the next order of its person within the window; those whose person cannot be written to now stand apart. Values in one currency.
 */
export async function leftCarts(
  sql: Sql,
  of: {
    from: Instant;
    to: Instant;
    now: Instant;
    currency: string;
    limit: number;
    offset?: number;
    state?: CartState | null;
  },
): Promise<CartRow[]> {
  return query<CartRow>(
    sql,
    `${TOLD}
     select t.person_id, t.cart_id, t.left_at, t.value_minor, t.items, t.state, t.name, t.email, src.name as source,
       case when t.state = 'won' then t.order_id end as order_id, case when t.state = 'won' then t.ordered_at end as ordered_at,
       case when t.state = 'won' then t.net_minor end as net_minor,
       case when t.state <> 'won' then null when m.clicked_at is not null then 'clicked' when m.messages > 0 then 'sent' else 'itself' end as how,
       f.key as flow, f.name as flow_name, m.step_id as step, coalesce(m.messages, 0)::int as messages,
       not exists (select 1 from orders o where o.person_id = t.person_id and o.placed_at < t.left_at) as is_first,
       (select k.offer from codes k where k.used_by = t.person_id and k.order_id = t.order_id and t.state = 'won' limit 1) as offer
     from told t left join sources src on src.id = t.source_id
     left join lateral (
       select count(*) as messages, max(s.clicked_at) as clicked_at,
         (array_agg(s.flow_id order by s.clicked_at desc nulls last, s.sent_at desc))[1] as flow_id,
         (array_agg(s.step_id order by s.clicked_at desc nulls last, s.sent_at desc))[1] as step_id
       from (
         -- a click after the order did not bring the cart back
         select s.flow_id, s.step_id, s.sent_at, case when s.clicked_at <= w.closes_at then s.clicked_at end as clicked_at
         from sends s, (select coalesce(case when t.state = 'won' then t.ordered_at end, t.left_at + :windowMs * interval '1 millisecond') as closes_at) w
         where s.person_id = t.person_id and s.kind = 'marketing' and s.sent_at >= t.updated_at and s.sent_at <= w.closes_at) s) m on true
     left join flows f on f.id = m.flow_id
     where cast(:state as text) is null or t.state = :state
     order by t.left_at desc, t.person_id desc, t.cart_id desc limit :limit offset :offset`,
    {
      from: new Date(of.from),
      to: new Date(of.to),
      now: new Date(of.now),
      windowMs: CART_WINDOW_MS,
      leftMs: LEFT_AFTER_MS,
      currency: of.currency,
      limit: of.limit,
      offset: of.offset ?? 0,
      state: of.state ?? null,
    },
  );
}

/** How many carts that were left in a period, and later ones from a moment on, were won back or are gone. */
export async function cartOutcomes(
  sql: Sql,
  of: { from: Instant; to: Instant; later: Instant; now: Instant; currency: string },
): Promise<{ late: boolean; won: number; gone: number }[]> {
  return query(
    sql,
    `${TOLD}
     select t.left_at > :later as late, count(*) filter (where t.state = 'won')::int as won, count(*) filter (where t.state = 'gone')::int as gone
     from told t group by 1`,
    {
      from: new Date(of.from),
      to: new Date(of.to),
      later: new Date(of.later),
      now: new Date(of.now),
      windowMs: CART_WINDOW_MS,
      leftMs: LEFT_AFTER_MS,
      currency: of.currency,
    },
  );
}
