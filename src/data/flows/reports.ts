import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** Of one version of a flow alone, where one is named: a run counts to the version it is on or ended on, a message to that it went out by. */
const OF_VERSION = '(cast(:version as int) is null or version = :version)';
const CREDIT_OF_VERSION = `(cast(:version as int) is null or exists (select 1 from sends s where s.person_id = credits.person_id
  and s.id = credits.send_id and s.version = :version))`;

export interface RunCounts {
  entered: number;
  inside: number;
  completed: number;
  goal: number;
  stay: number;
  undone: number;
  not_entered: number;
  goal_reached: number;
  control: number;
  control_goal: number;
  broken: number;
}

/**
 * Runs of a flow that entered in [from, to], by how they ended; `inside` and `broken` are now. One whose trigger was undone
 * before anything went out has not entered; nor has the control group, which is counted beside the others.
 */
export async function runCounts(sql: Sql, flowId: number, from: Instant, to: Instant, version: number | null = null): Promise<RunCounts> {
  return (await queryOne<RunCounts>(
    sql,
    `select count(*) filter (where (outcome is distinct from 'undone' or effects > 0) and outcome is distinct from 'control')::int as entered,
       count(*) filter (where outcome = 'control')::int as control,
       count(*) filter (where outcome = 'control' and goal_at is not null)::int as control_goal,
       (select count(*)::int from runs where flow_id = :flowId and phase = 'inside') as inside,
       count(*) filter (where outcome = 'completed')::int as completed,
       count(*) filter (where outcome = 'goal')::int as goal,
       count(*) filter (where outcome = 'left')::int as stay,
       count(*) filter (where outcome = 'undone')::int as undone,
       (select count(*)::int from runs where flow_id = :flowId and broken is not null) as broken,
       count(*) filter (where goal_at is not null and outcome is distinct from 'control')::int as goal_reached,
       (select count(*)::int from runs where flow_id = :flowId and outcome = 'not-entered' and ended_at >= :from and ended_at <= :to) as not_entered
     from runs where flow_id = :flowId and entered_at >= :from and entered_at <= :to and ${OF_VERSION}`,
    { flowId, from: new Date(from), to: new Date(to), version },
  ))!;
}

export interface SendCounts {
  step_id: string;
  sent: number;
  delivered: number;
  bounced: number;
  opened: number;
  clicked: number;
  skipped: number;
  failed: number;
  queued: number;
}

/** What became of the messages of a flow that were due in [from, to], by step. */
export async function sendCounts(
  sql: Sql,
  flowId: number,
  from: Instant,
  to: Instant,
  version: number | null = null,
): Promise<SendCounts[]> {
  return query<SendCounts>(
    sql,
    `select step_id,
       count(*) filter (where state in ('sent', 'delivered', 'bounced'))::int as sent,
       count(*) filter (where state = 'delivered')::int as delivered,
       count(*) filter (where state = 'bounced')::int as bounced,
       count(*) filter (where opened_at is not null)::int as opened,
       count(*) filter (where clicked_at is not null)::int as clicked,
       count(*) filter (where state = 'skipped')::int as skipped,
       count(*) filter (where state = 'failed')::int as failed,
       count(*) filter (where state = 'queued')::int as queued
     from sends where flow_id = :flowId and queued_at >= :from and queued_at <= :to and ${OF_VERSION} group by step_id`,
    { flowId, from: new Date(from), to: new Date(to), version },
  );
}

export interface StepCredit {
  step_id: string;
  currency: string;
  orders: number;
  minor: string;
}

export async function creditByStep(
  sql: Sql,
  flowId: number,
  from: Instant,
  to: Instant,
  model: string,
  version: number | null = null,
): Promise<StepCredit[]> {
  return query<StepCredit>(
    sql,
    `select step_id, currency, count(distinct (person_id, order_id))::int as orders, sum(minor) as minor from credits
     where flow_id = :flowId and model = :model and placed_at >= :from and placed_at <= :to and ${CREDIT_OF_VERSION} group by 1, 2`,
    { flowId, from: new Date(from), to: new Date(to), model, version },
  );
}

/** Orders credited to a flow, each counted once however many of its messages share it. */
export async function creditedOrders(
  sql: Sql,
  flowId: number,
  from: Instant,
  to: Instant,
  model: string,
  version: number | null = null,
): Promise<number> {
  const row = await queryOne<{ orders: number }>(
    sql,
    `select count(distinct (person_id, order_id))::int as orders from credits where flow_id = :flowId and model = :model and placed_at >= :from
      and placed_at <= :to and ${CREDIT_OF_VERSION}`,
    { flowId, model, from: new Date(from), to: new Date(to), version },
  );
  return row!.orders;
}

/** People per arm, of the runs that entered in [from, to]. */
export async function armCounts(
  sql: Sql,
  flowId: number,
  from: Instant,
  to: Instant,
  version: number | null = null,
): Promise<Map<string, { people: number; goal: number }>> {
  const rows = await query<{ arm: string; people: number; goal: number }>(
    sql,
    `select arm, count(*)::int as people, count(*) filter (where goal_at is not null)::int as goal
     from runs, unnest(arms) as arm where flow_id = :flowId and entered_at >= :from and entered_at <= :to and ${OF_VERSION} group by 1`,
    { flowId, from: new Date(from), to: new Date(to), version },
  );
  return new Map(rows.map(({ arm, people, goal }) => [arm, { people, goal }]));
}

/** People who wait at each step now. */
export async function waitingCounts(sql: Sql, flowId: number): Promise<Map<string, number>> {
  const rows = await query<{ step: string; people: number }>(
    sql,
    `select step, count(*)::int as people from runs where flow_id = :flowId and phase = 'inside' and step is not null group by 1`,
    { flowId },
  );
  return new Map(rows.map((row) => [row.step, row.people]));
}

/** What pausing or publishing touches: how many are inside, by version, and how many silences last. */
export async function flowLoad(sql: Sql, flowId: number): Promise<{ inside: number; armed: number }> {
  return (await queryOne<{ inside: number; armed: number }>(
    sql,
    `select count(*) filter (where phase = 'inside')::int as inside, count(*) filter (where phase = 'armed')::int as armed from runs
      where flow_id = :flowId and phase in ('inside', 'armed')`,
    { flowId },
  ))!;
}

/** What a flow really did between two moments: who entered then, and what was sent to them; the control group left out. */
export async function doneBy(sql: Sql, flowId: number, from: Instant, to: Instant): Promise<{ entered: number; sends: number }> {
  return (await queryOne<{ entered: number; sends: number }>(
    sql,
    `select (select count(*)::int from runs where flow_id = :flowId and entered_at between :from and :to and outcome is distinct from 'control') as entered,
       (select count(*)::int from sends s join runs r on r.person_id = s.person_id and r.id = s.run_id
         where s.flow_id = :flowId and s.queued_at between :from and :to and r.entered_at >= :from) as sends`,
    { flowId, from: new Date(from), to: new Date(to) },
  ))!;
}

export interface FormCounts {
  content: string | null;
  sent: number;
  opened: number;
  clicked: number;
}

/** What became of one message in [from, to], by the version of its content that people got. */
export async function formCounts(sql: Sql, flowId: number, step: string, from: Instant, to: Instant): Promise<FormCounts[]> {
  return query<FormCounts>(
    sql,
    `select content, count(*)::int as sent, count(*) filter (where opened_at is not null)::int as opened,
       count(*) filter (where clicked_at is not null)::int as clicked
     from sends where flow_id = :flowId and step_id = :step and state in ('sent', 'delivered', 'bounced')
       and queued_at >= :from and queued_at <= :to group by 1 order by 2 desc`,
    { flowId, step, from: new Date(from), to: new Date(to) },
  );
}

/** How many hours after a message went out it was first opened and clicked, counted by whole hours; and at which hours of the day, in a zone. */
export async function touchHours(
  sql: Sql,
  flowId: number,
  step: string,
  from: Instant,
  to: Instant,
  zone: string,
): Promise<{ what: 'opened' | 'clicked'; by: 'after' | 'day'; hour: number; people: number }[]> {
  return query(
    sql,
    `with touched as (
       select 'opened' as what, sent_at, opened_at as at from sends
         where flow_id = :flowId and step_id = :step and opened_at is not null and queued_at >= :from and queued_at <= :to
       union all select 'clicked', sent_at, clicked_at from sends
         where flow_id = :flowId and step_id = :step and clicked_at is not null and queued_at >= :from and queued_at <= :to)
     select what, 'after' as by, least(168, floor(extract(epoch from at - sent_at) / 3600))::int as hour, count(*)::int as people
       from touched where sent_at is not null group by 1, 3
     union all select what, 'day', extract(hour from at at time zone :zone)::int, count(*)::int from touched group by 1, 3
     order by 1, 2, 3`,
    { flowId, step, from: new Date(from), to: new Date(to), zone },
  );
}

/** How many addresses that differ in their last part alone are told one by one. */
const MOST_ALIKE = 12;

/**
 * The links of a message that were followed in [from, to]: how often, and by how many of those who got it. Addresses that differ in their
 * last part alone, as the carts of people do, are one, where there are many.
 */
export async function linkCounts(
  sql: Sql,
  flowKey: string,
  step: string,
  from: Instant,
  to: Instant,
): Promise<{ url: string; clicks: number; people: number; different: number }[]> {
  return query(
    sql,
    `with clicked as (
       select person_id, properties ->> 'url' as url, regexp_replace(properties ->> 'url', '[^/]*$', '') as head from events
       where type = 'message.clicked' and time >= :from and time <= :to and properties ->> 'flow' = :flowKey and properties ->> 'step' = :step
         and coalesce(properties ->> 'url', '') <> ''),
     heads as (select head, count(distinct url) > :most as is_many from clicked group by 1)
     select case when is_many then head || '…' else url end as url, count(*)::int as clicks, count(distinct person_id)::int as people,
       count(distinct url)::int as different
     from clicked join heads using (head) group by 1 order by 3 desc, 1 limit 100`,
    { flowKey, step, from: new Date(from), to: new Date(to), most: MOST_ALIKE },
  );
}
