import type { PairedSums } from '@/core/stats';
import { DAY, type Instant } from '@/core/time';
import { query, type Sql } from '../db';

/** What came of a group of people, from the moment each of them entered: sums of what they ordered then, and before. */
export interface GroupSums extends PairedSums {
  readonly group: string;
  /** how many of them ordered, how many orders, reached the goal, and clicked a message of the flow */
  readonly buyers: number;
  readonly orders: number;
  readonly goals: number;
  readonly clickers: number;
  /** entered, and their time is not over yet: not among the sums */
  readonly waiting: number;
}

/** A group in which nobody is. */
export const NOBODY = { group: '', n: 0, y: 0, yy: 0, x: 0, xx: 0, xy: 0, buyers: 0, orders: 0, goals: 0, clickers: 0, waiting: 0 };

/** Whose entries are looked at: of a flow in a period, and for how long after and before each. */
export interface Entered {
  readonly flowId: number;
  readonly from: Instant;
  readonly to: Instant;
  readonly now: Instant;
  readonly windowMs: number;
  readonly beforeMs: number;
  readonly currency: string;
  readonly arms?: readonly string[];
}

interface SumsRow {
  readonly grp: string;
  readonly n: number;
  readonly y: string;
  readonly yy: string;
  readonly x: string;
  readonly xx: string;
  readonly xy: string;
  readonly buyers: number;
  readonly orders: number;
  readonly goals: number;
  readonly clickers: number;
  readonly waiting: number;
}

/**
 * What people brought who entered a flow in a period, by group: from the moment of their entry for so long, the same for every group.
 * Each person counts once, by their first entry in the period; the order by which somebody entered is one of before. y is the net of
 * their orders in that time, in minor units of one currency, x that of the time before their entry.
 * @param groups how a run `r` is grouped, as SQL of ours: what is null is in no group
 */
async function sumsBy(sql: Sql, groups: string, of: Entered): Promise<GroupSums[]> {
  const rows = await query<SumsRow>(
    sql,
    `with entered as materialized (
       select distinct on (r.person_id) r.person_id, r.id, r.entered_at, r.goal_at, ${groups} as grp from runs r
       where r.flow_id = :flowId and r.entered_at >= :from and r.entered_at <= :to and ${groups} is not null
       order by r.person_id, r.entered_at, r.id
     ), each as (
       select e.grp, e.entered_at + :windowMs * interval '1 millisecond' <= :now as is_over, e.goal_at is not null as goal,
         exists (select 1 from sends s where s.person_id = e.person_id and s.run_id = e.id and s.clicked_at is not null) as clicked,
         coalesce(o.after, 0)::float8 as y, coalesce(o.before, 0)::float8 as x, coalesce(o.orders, 0) as orders
       from entered e left join lateral (
         select sum(o.net_minor) filter (where o.placed_at > e.entered_at) as after,
           sum(o.net_minor) filter (where o.placed_at <= e.entered_at) as before,
           count(*) filter (where o.placed_at > e.entered_at and o.net_minor > 0) as orders
         from orders o where o.person_id = e.person_id and o.currency = :currency
           and o.placed_at >= e.entered_at - :beforeMs * interval '1 millisecond'
           and o.placed_at <= e.entered_at + :windowMs * interval '1 millisecond') o on true
     )
     select grp, count(*) filter (where is_over)::int as n, coalesce(sum(y) filter (where is_over), 0) as y,
       coalesce(sum(y * y) filter (where is_over), 0) as yy, coalesce(sum(x) filter (where is_over), 0) as x,
       coalesce(sum(x * x) filter (where is_over), 0) as xx, coalesce(sum(x * y) filter (where is_over), 0) as xy,
       count(*) filter (where is_over and orders > 0)::int as buyers, coalesce(sum(orders) filter (where is_over), 0)::int as orders,
       count(*) filter (where is_over and goal)::int as goals, count(*) filter (where is_over and clicked)::int as clickers,
       count(*) filter (where not is_over)::int as waiting
     from each group by 1`,
    {
      flowId: of.flowId,
      from: new Date(of.from),
      to: new Date(of.to),
      now: new Date(of.now),
      windowMs: of.windowMs,
      beforeMs: of.beforeMs,
      currency: of.currency,
      arms: of.arms ?? [],
    },
  );
  return rows.map(({ grp, y, yy, x, xx, xy, ...rest }) => ({
    ...rest,
    group: grp,
    y: Number(y),
    yy: Number(yy),
    x: Number(x),
    xx: Number(xx),
    xy: Number(xy),
  }));
}

/** Those who went in and those who were kept out by lot: groups `in` and `out`. */
export const liftSums = (sql: Sql, of: Omit<Entered, 'arms'>): Promise<GroupSums[]> =>
  sumsBy(sql, `case when r.outcome = 'control' then 'out' else 'in' end`, of);

/** Over how many days it is seen how many people come a day. */
const LATELY_DAYS = 28;
/** So many people are looked at in one statement. */
const PEOPLE_AT_ONCE = 50_000;

/**
 * What everybody brought who has ever agreed to be written to, or come to be known, since a moment: groups `in` and `out` by a lot that
 * is drawn here. x is what they ordered in the time before that moment, or before they were known.
 */
export async function storeSums(
  sql: Sql,
  of: { since: Instant; now: Instant; beforeMs: number; currency: string; isOut: (personId: string) => boolean },
): Promise<{ in: GroupSums; out: GroupSums; newADay: number }> {
  const sums = { in: { ...NOBODY, group: 'in' }, out: { ...NOBODY, group: 'out' } };
  const moments = { since: new Date(of.since), now: new Date(of.now), lately: new Date(of.now - LATELY_DAYS * DAY) };
  let fresh = 0;
  for (let after = '0'; ;) {
    const rows = await query<{ id: string; y: number; x: number; orders: number; fresh: boolean }>(
      sql,
      `select p.id::text as id, p.created_at > :lately as fresh, coalesce(o.y, 0)::float8 as y, coalesce(o.x, 0)::float8 as x,
         coalesce(o.orders, 0)::int as orders
       from (select id, created_at from people p where id > :after and created_at <= :now
           and exists (select 1 from consents c where c.person_id = p.id) order by id limit ${PEOPLE_AT_ONCE}) p
       left join lateral (
         select sum(net_minor) filter (where placed_at > greatest(p.created_at, :since)) as y,
           sum(net_minor) filter (where placed_at <= greatest(p.created_at, :since)) as x,
           count(*) filter (where placed_at > greatest(p.created_at, :since) and net_minor > 0) as orders
         from orders where person_id = p.id and currency = :currency and placed_at <= :now
           and placed_at >= greatest(p.created_at, :since) - :beforeMs * interval '1 millisecond') o on true
       order by p.id`,
      { after, ...moments, beforeMs: of.beforeMs, currency: of.currency },
    );
    for (const { id, y, x, orders, fresh: isNew } of rows) {
      const sum = sums[of.isOut(id) ? 'out' : 'in'];
      sum.n += 1;
      sum.y += y;
      sum.yy += y * y;
      sum.x += x;
      sum.xx += x * x;
      sum.xy += x * y;
      sum.orders += orders;
      if (orders) sum.buyers += 1;
      if (isNew) fresh += 1;
    }
    if (rows.length < PEOPLE_AT_ONCE) return { ...sums, newADay: fresh / LATELY_DAYS };
    after = rows.at(-1)!.id;
  }
}

/** Those who drew each arm of a test: groups by the arm's id. */
export const armSums = (sql: Sql, of: Entered & { arms: readonly string[] }): Promise<GroupSums[]> =>
  sumsBy(sql, `(select a from unnest(r.arms) a where a = any(cast(:arms as text[])) limit 1)`, of);

/** How many people have entered a flow a day lately: in four weeks, or since the first of them where that is less. */
export async function entriesADay(sql: Sql, flowId: number, now: Instant): Promise<number> {
  const [row] = await query<{ perDay: number }>(
    sql,
    `select count(distinct person_id)::float8 / greatest(1, least(28, extract(epoch from cast(:now as timestamptz) - min(entered_at)) / 86400)) as "perDay"
     from runs where flow_id = :flowId and entered_at > cast(:now as timestamptz) - interval '28 days' and entered_at <= :now`,
    { flowId, now: new Date(now) },
  );
  return Number(row?.perDay ?? 0);
}

/** What the messages of a flow, or of all, were credited with in a period, by a model. */
export async function creditOfFlow(
  sql: Sql,
  of: { flowId: number | null; from: Instant; to: Instant; model: string; currency: string },
): Promise<number> {
  const [row] = await query<{ minor: string }>(
    sql,
    `select coalesce(sum(minor), 0) as minor from credits where (cast(:flowId as bigint) is null or flow_id = :flowId)
       and model = :model and currency = :currency
       and placed_at >= :from and placed_at <= :to`,
    { ...of, from: new Date(of.from), to: new Date(of.to) },
  );
  return Number(row!.minor);
}
