import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** What goes out in an hour: of a flow, from a step on, and whether it is due, held by limits, or has gone. */
export interface BoardRow {
  readonly hour: Date;
  readonly flow: string;
  readonly name: string;
  readonly flow_id: number;
  readonly version: number;
  readonly step: string;
  readonly state: 'due' | 'held' | 'gone';
  readonly people: number;
}

/** Everything that has gone out since a moment, and what waits to go on until another, by hour, flow and step. */
export async function boardOf(sql: Sql, from: Instant, now: Instant, to: Instant): Promise<BoardRow[]> {
  return query<BoardRow>(
    sql,
    `select date_trunc('hour', at) as hour, f.key as flow, f.name, d.flow_id, d.version, d.step, d.state, sum(d.people)::int as people from (
       select s.sent_at as at, s.flow_id, s.version, s.step_id as step, 'gone' as state, 1 as people from sends s
       where s.sent_at >= :from and s.sent_at <= :now and s.queued_at >= cast(:from as timestamptz) - interval '5 days'
       union all
       select s.not_before, s.flow_id, s.version, s.step_id, 'held', 1 from sends s where s.state = 'queued' and s.not_before > :now and s.not_before < :to
       union all
       select r.wait_until, r.flow_id, r.version, r.step, 'due', 1 from runs r
       where r.phase = 'inside' and r.wait_until >= :now and r.wait_until < :to and r.step is not null
     ) d join flows f on f.id = d.flow_id where f.state = 'on' group by 1, 2, 3, 4, 5, 6, 7 order by 1, 3, 6`,
    { from: new Date(from), now: new Date(now), to: new Date(to) },
  );
}

/** How many people entered each flow that is on in the last week, and in the four weeks before it. */
export const flowRates = (sql: Sql, now: Instant): Promise<{ flow: string; name: string; week: number; before: number; days: number }[]> =>
  query(
    sql,
    `select f.key as flow, f.name, count(*) filter (where r.entered_at > cast(:now as timestamptz) - interval '7 days')::int as week,
       count(*) filter (where r.entered_at <= cast(:now as timestamptz) - interval '7 days')::int as before,
       coalesce(extract(epoch from cast(:now as timestamptz) - interval '7 days' - greatest(min(v.published_at), cast(:now as timestamptz)
         - interval '35 days')) / 86400, 0)::float8 as days
     from flows f join flow_versions v on v.flow_id = f.id and v.version = 1
     left join runs r on r.flow_id = f.id and r.entered_at > cast(:now as timestamptz) - interval '35 days' and r.entered_at <= :now
     -- a broadcast is not entered week by week
     where f.state = 'on' and f.draft ->> 'as' is distinct from 'broadcast' group by 1, 2`,
    { now: new Date(now) },
  );

/** Trials on a part in which none surely does best, with how many wait until somebody has chosen. */
export const trialsThatAsk = (sql: Sql): Promise<{ flow: string; name: string; is_broadcast: boolean; waiting: number }[]> =>
  query(
    sql,
    `select f.key as flow, f.name, coalesce(f.draft ->> 'as' = 'broadcast', false) as is_broadcast, count(*)::int as waiting
     from flows f join lateral (select distinct step_id from test_verdicts where flow_id = f.id and arm is null) v on true
       join runs r on r.flow_id = f.id and r.phase = 'inside' and r.step = v.step_id
     where f.state = 'on' group by 1, 2, 3`,
  );

/** What became of the mail of a week: handed over, bounced, complained of. */
export async function mailHealth(sql: Sql, now: Instant): Promise<{ sent: number; bounced: number; complained: number }> {
  return (await queryOne(
    sql,
    `select count(*) filter (where s.state in ('sent', 'delivered', 'bounced'))::int as sent, count(*) filter (where s.state = 'bounced')::int as bounced,
       (select count(*)::int from suppressions where reason = 'complained' and at > cast(:now as timestamptz) - interval '7 days' and at <= :now) as complained
     from sends s where s.queued_at > cast(:now as timestamptz) - interval '7 days' and s.queued_at <= :now and s.channel = 'email'`,
    { now: new Date(now) },
  ))!;
}

/** Sources that told of something on seven of the last fourteen days, and have been silent for a day. */
export const silentSources = (sql: Sql, now: Instant): Promise<{ key: string; name: string; last_at: Date; usual: number }[]> =>
  query(
    sql,
    `select s.key, s.name, max(m.minute) as last_at, sum(m.accepted)::float8 / 14 as usual from sources s join source_minutes m on m.source_id = s.id
     where s.revoked_at is null and s.kind in ('key', 'webhook', 'snippet') and m.minute > cast(:now as timestamptz) - interval '14 days' and m.minute <= :now
     group by 1, 2 having count(distinct date_trunc('day', m.minute)) >= 7 and max(m.minute) < cast(:now as timestamptz) - interval '24 hours'`,
    { now: new Date(now) },
  );

/** Calls that have failed for good in a day, by flow; tasks that are open; runs that are set aside, by flow. */
export async function troubles(
  sql: Sql,
  now: Instant,
): Promise<{
  calls: { flow: string; name: string; many: number; error: string | null }[];
  tasks: number;
  broken: { flow: string; name: string; many: number }[];
}> {
  const [calls, tasks, broken] = await Promise.all([
    query<{ flow: string; name: string; many: number; error: string | null }>(
      sql,
      `select f.key as flow, f.name, count(*)::int as many, max(a.error) as error from asks a join flows f on f.id = a.flow_id
       where a.kind = 'call' and a.state = 'failed' and a.closed_at > cast(:now as timestamptz) - interval '24 hours' group by 1, 2`,
      { now: new Date(now) },
    ),
    queryOne<{ many: number }>(sql, `select count(*)::int as many from asks where kind = 'task' and state = 'open'`),
    query<{ flow: string; name: string; many: number }>(
      sql,
      `select f.key as flow, f.name, count(*)::int as many from runs r join flows f on f.id = r.flow_id where r.broken is not null group by 1, 2`,
    ),
  ]);
  return { calls, tasks: tasks?.many ?? 0, broken };
}

/** What others have done since a moment, the newest first. */
export const actsSince = (
  sql: Sql,
  since: Instant,
  but: string,
): Promise<{ at: Date; actor: string; what: string; detail: { readonly [name: string]: unknown } }[]> =>
  query(sql, `select at, actor, what, detail from acts where at > :since and actor <> :but order by at desc, id desc limit 200`, {
    since: new Date(since),
    but,
  });

/** What has happened in a store at all: an event told by somebody else, a flow published, somebody entered, a message sent, an order. */
export async function everHappened(sql: Sql): Promise<{ events: boolean; flow: boolean; entered: boolean; sent: boolean; order: boolean }> {
  const [row] = await query<{ events: boolean; flow: boolean; entered: boolean; sent: boolean; order: boolean }>(
    sql,
    `select exists (select 1 from source_minutes where accepted > 0) or exists (select 1 from arrivals) or exists (select 1 from orders) as events,
       exists (select 1 from flows where version is not null) as flow, exists (select 1 from runs where entered_at is not null) as entered,
       exists (select 1 from sends where sent_at is not null) as sent, exists (select 1 from orders) as "order"`,
  );
  return row!;
}
