import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

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
export async function runCounts(sql: Sql, flowId: number, from: Instant, to: Instant): Promise<RunCounts> {
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
     from runs where flow_id = :flowId and entered_at >= :from and entered_at <= :to`,
    { flowId, from: new Date(from), to: new Date(to) },
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
export async function sendCounts(sql: Sql, flowId: number, from: Instant, to: Instant): Promise<SendCounts[]> {
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
     from sends where flow_id = :flowId and queued_at >= :from and queued_at <= :to group by step_id`,
    { flowId, from: new Date(from), to: new Date(to) },
  );
}

export interface StepCredit {
  step_id: string;
  currency: string;
  orders: number;
  minor: string;
}

export async function creditByStep(sql: Sql, flowId: number, from: Instant, to: Instant, model: string): Promise<StepCredit[]> {
  return query<StepCredit>(
    sql,
    `select step_id, currency, count(distinct (person_id, order_id))::int as orders, sum(minor) as minor from credits
     where flow_id = :flowId and model = :model and placed_at >= :from and placed_at <= :to group by 1, 2`,
    { flowId, from: new Date(from), to: new Date(to), model },
  );
}

/** Orders credited to a flow, each counted once however many of its messages share it. */
export async function creditedOrders(sql: Sql, flowId: number, from: Instant, to: Instant, model: string): Promise<number> {
  const row = await queryOne<{ orders: number }>(
    sql,
    `select count(distinct (person_id, order_id))::int as orders from credits where flow_id = :flowId and model = :model and placed_at >= :from
      and placed_at <= :to`,
    { flowId, model, from: new Date(from), to: new Date(to) },
  );
  return row!.orders;
}

/** People per arm, of the runs that entered in [from, to]. */
export async function armCounts(
  sql: Sql,
  flowId: number,
  from: Instant,
  to: Instant,
): Promise<Map<string, { people: number; goal: number }>> {
  const rows = await query<{ arm: string; people: number; goal: number }>(
    sql,
    `select arm, count(*)::int as people, count(*) filter (where goal_at is not null)::int as goal
     from runs, unnest(arms) as arm where flow_id = :flowId and entered_at >= :from and entered_at <= :to group by 1`,
    { flowId, from: new Date(from), to: new Date(to) },
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
