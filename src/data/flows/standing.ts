import { dayAt, startOfDayNumber, type Instant } from '@/core/time';
import type { OpenRun, Phase, Saw } from '@/core/flows';
import { query, rowsOf, type Sql } from '../db';

/** Reads the runs of a person that are in a flow, or out of it with the goal still to be reached. */
export async function openRuns(sql: Sql, personId: string): Promise<(OpenRun & { readonly version: number })[]> {
  return query(
    sql,
    `select id, flow_id as "flowId", version, key, phase, outcome, (extract(epoch from entered_at) * 1000)::float8 as "enteredAt"
     from runs where person_id = :personId and phase in ('inside', 'watching')`,
    { personId },
  );
}

/** Ends runs of a person that are under way, with the reason. Answers with those that were. */
export async function endRuns(
  sql: Sql,
  personId: string,
  runIds: readonly string[],
  saw: Saw,
  at: Instant,
): Promise<{ id: string; flow: string; trigger: string; key: string; was: Phase }[]> {
  return query(
    sql,
    `with before as (select r.id, f.key as flow, r.phase as was from runs r join flows f on f.id = r.flow_id
       where r.person_id = :personId and r.id = any(cast(:runIds as bigint[]))
     ), over as (
       update runs set phase = 'ended', outcome = coalesce(outcome, case when entered_at is null then 'not-entered' else 'left' end),
         step = null, wait_from = null, wait_until = null, wake_at = null, wakes_on = '{}', broken = null, ended_at = :at, seq = seq + 1
       where person_id = :personId and id = any(cast(:runIds as bigint[])) and phase <> 'ended' returning id, version, seq, trigger, key
     ), traced as (
       insert into traces (person_id, run_id, seq, at, version, kind, saw) select :personId, id, seq - 1, :at, version, 'left', cast(:saw as jsonb) from over
     ) select o.id, b.flow, o.trigger, o.key, b.was from over o join before b on b.id = o.id`,
    { personId, runIds, saw: JSON.stringify(saw), at: new Date(at) },
  );
}

/** Ends every run of a flow that is under way, with the reason. Answers how many people were inside. */
export async function endAllRuns(sql: Sql, flowId: number, saw: Saw, at: Instant): Promise<number> {
  const [row] = await query<{ inside: number }>(
    sql,
    `with before as materialized (select person_id, id, phase from runs where flow_id = :flowId and phase <> 'ended' for update),
     over as (
       update runs r set phase = 'ended', outcome = coalesce(r.outcome, case when r.entered_at is null then 'not-entered' else 'left' end),
         step = null, wait_from = null, wait_until = null, wake_at = null, wakes_on = '{}', broken = null, ended_at = :at, seq = r.seq + 1
       from before b where r.person_id = b.person_id and r.id = b.id returning r.person_id, r.id, r.version, r.seq
     ), traced as (
       insert into traces (person_id, run_id, seq, at, version, kind, saw) select person_id, id, seq - 1, :at, version, 'left', cast(:saw as jsonb) from over
     ) select count(*) filter (where phase = 'inside')::int as inside from before`,
    { flowId, saw: JSON.stringify(saw), at: new Date(at) },
  );
  return row!.inside;
}

/** Wakes everybody whose message a limit holds back, and lets go what is kept back: the limits are not what they were. */
export async function wakeHeld(sql: Sql, now: Instant): Promise<void> {
  await query(
    sql,
    `update runs r set wake_at = :now from traces t where r.phase = 'inside' and r.wait_until is not null and r.wake_at > :now
       and t.person_id = r.person_id and t.run_id = r.id and t.seq = r.seq - 1 and t.kind = 'held'`,
    { now: new Date(now) },
  );
  await query(sql, 'update sends set not_before = :now where not_before > :now', { now: new Date(now) });
}

const MOVES = rowsOf({ version: 'int', was: 'text', step: 'text', is_same: 'boolean' });

/** How many are inside a flow, by version and step. */
export async function insideBy(sql: Sql, flowId: number): Promise<{ version: number; step: string | null; runs: number }[]> {
  return query(
    sql,
    `select version, step, count(*)::int as runs from runs where flow_id = :flowId and phase = 'inside' group by 1, 2 order by 1, 2`,
    { flowId },
  );
}

/** How many stand at each step of a flow with nothing left to wait for: while it is paused, that is what is due. */
export async function dueBy(sql: Sql, flowId: number, now: Instant): Promise<{ version: number; step: string; runs: number }[]> {
  return query(
    sql,
    `select version, step, count(*)::int as runs from runs
     where flow_id = :flowId and phase = 'inside' and step is not null and (wait_until is null or wait_until <= :now)
     group by 1, 2 order by 3 desc, 1, 2`,
    { flowId, now: new Date(now) },
  );
}

/**
 * Moves everyone in a flow to another version: each from their step to one of the new version. What they have done is kept with
 * the path they took, so that it isn't done again; a wait that has begun continues if its step is the same. Returns the number moved.
 * What was done before a person was moved back by hand doesn't count: it was meant to be done again.
 */
export async function moveRuns(
  sql: Sql,
  flowId: number,
  to: number,
  moves: readonly { version: number; was: string | null; step: string | null; isSame: boolean }[],
  now: Instant,
): Promise<number> {
  if (!moves.length) return 0;
  const [row] = await query<{ moved: number }>(
    sql,
    `with moved as (
       update runs r set version = :to, step = m.step, wait_from = case when m.is_same then r.wait_from end,
         wait_until = case when m.is_same then r.wait_until end, wake_at = :now, seq = r.seq + 1,
         visit = r.visit + 1, done = (
           select jsonb_object_agg(t.step_id, case when t.kind in ('issued', 'found', 'answered') then 0
             when t.kind in ('withheld', 'not-found', 'unanswered') then 1 end order by t.seq)
           from traces t where t.person_id = r.person_id and t.run_id = r.id and t.step_id is not null
             and t.kind in ('sending', 'recorded', 'updated', 'handed', 'told', 'issued', 'withheld', 'found', 'not-found', 'answered', 'unanswered')
             and t.seq > coalesce((select max(b.seq) from traces b where b.person_id = r.person_id and b.run_id = r.id
               and b.kind = 'moved' and jsonb_exists(b.saw, 'by')), -1))
       from ${MOVES.sql} as m
       where r.flow_id = :flowId and r.phase = 'inside' and r.version = m.version and r.step is not distinct from m.was
       returning r.person_id, r.id, r.seq, r.step
     ), traced as (
       insert into traces (person_id, run_id, seq, at, version, step_id, kind, saw)
       select person_id, id, seq - 1, :now, :to, step, 'moved', jsonb_build_object('version', cast(:to as int)) from moved
     ) select count(*)::int as moved from moved`,
    { flowId, to, now: new Date(now), rows: MOVES.of(moves.map(({ isSame, ...move }) => ({ ...move, is_same: isSame }))) },
  );
  return row!.moved;
}

/** Who is inside a flow, at one of its steps or at any: since when, and until when they wait. */
export async function peopleInside(sql: Sql, flowId: number, step: string | null, limit: number): Promise<InsideRow[]> {
  return query<InsideRow>(
    sql,
    `select r.person_id, r.id, r.version, r.key, r.step, p.email, p.external_id, p.attributes->>'firstName' as first_name,
       p.attributes->>'lastName' as last_name, r.entered_at, r.wait_from, coalesce(r.wait_until, r.wake_at) as until, h.at as held_at, h.saw as held_saw
     from runs r join people p on p.id = r.person_id
       left join lateral (select t.at, t.kind, t.saw, t.step_id from traces t where t.person_id = r.person_id and t.run_id = r.id
         order by t.seq desc limit 1) h on h.kind = 'held' and h.step_id = r.step
     where r.flow_id = :flowId and r.phase = 'inside' and (cast(:step as text) is null or r.step = :step)
     order by coalesce(r.wait_until, r.wake_at) nulls last, r.id limit :limit`,
    { flowId, step, limit },
  );
}

export interface InsideRow {
  readonly person_id: string;
  readonly id: string;
  readonly version: number;
  readonly key: string;
  readonly step: string | null;
  readonly email: string | null;
  readonly external_id: string | null;
  readonly first_name: string | null;
  readonly last_name: string | null;
  /** since when it is held at its step by a limit, and by which */
  readonly held_at: Date | null;
  readonly held_saw: Saw | null;
  readonly entered_at: Date;
  readonly wait_from: Date | null;
  readonly until: Date | null;
}

/** How many are at each step of a flow, and when the first of them goes on. */
export async function countInside(sql: Sql, flowId: number): Promise<{ step: string | null; people: number; next: Date | null }[]> {
  return query(
    sql,
    `select step, count(*)::int as people, min(coalesce(wait_until, wake_at)) as next from runs where flow_id = :flowId and phase = 'inside' group by step`,
    { flowId },
  );
}

/** How many runs that wait now go on in [from, to), by hour and flow. */
export async function departing(sql: Sql, from: Instant, to: Instant): Promise<{ hour: Date; flow: string; name: string; runs: number }[]> {
  return query(
    sql,
    `select date_trunc('hour', r.wait_until) as hour, f.key as flow, f.name, count(*)::int as runs from runs r join flows f on f.id = r.flow_id
     where r.phase = 'inside' and f.state = 'on' and r.wait_until >= :from and r.wait_until < :to group by 1, 2, 3 order by 1, 2`,
    { from: new Date(from), to: new Date(to) },
  );
}

/** How many entered flows in a stretch that has gone by, by flow and day. */
export async function entriesBy(sql: Sql, from: Instant, to: Instant): Promise<{ flow: string; name: string; day: Date; runs: number }[]> {
  return query(
    sql,
    `select f.key as flow, f.name, date_trunc('day', r.entered_at) as day, count(*)::int as runs from runs r join flows f on f.id = r.flow_id
     where f.state = 'on' and r.entered_at >= :from and r.entered_at < :to group by 1, 2, 3`,
    { from: new Date(from), to: new Date(to) },
  );
}

/**
 * How many have entered a flow from the day of a moment on, by the number of the day in the store's zone. Whoever asks holds the flow
 * until their transaction ends, so that nobody else lets people in meanwhile.
 */
export async function enteredByDay(sql: Sql, flowId: number, from: Instant, zone: string): Promise<Map<number, number>> {
  await query(sql, 'select id from flows where id = :flowId for no key update', { flowId });
  const rows = await query<{ day: number; runs: number }>(
    sql,
    `select (cast(entered_at at time zone :zone as date) - date '1970-01-01')::int as day, count(*)::int as runs from runs
     where flow_id = :flowId and entered_at >= :from group by 1`,
    { flowId, zone, from: new Date(startOfDayNumber(dayAt(from, zone), zone)) },
  );
  return new Map(rows.map(({ day, runs }) => [day, runs]));
}

/** Whose a run is, and of which flow and version; null where there is none with this number. */
export async function aboutRun(sql: Sql, id: string): Promise<{ personId: string; flowId: number; version: number; phase: Phase } | null> {
  const [row] = await query<{ personId: string; flowId: number; version: number; phase: Phase }>(
    sql,
    'select person_id as "personId", flow_id as "flowId", version, phase from runs where id = :id',
    { id },
  );
  return row ?? null;
}

/** Moves a run to another step of its version by hand: a new visit, which does again what was done before. Returns whether it was in the flow. */
export async function putAt(sql: Sql, personId: string, runId: string, step: string, by: string, now: Instant): Promise<boolean> {
  const rows = await query(
    sql,
    `with put as (
       update runs set step = :step, wait_from = null, wait_until = null, wake_at = :now, seq = seq + 1, visit = visit + 1, done = null
       where person_id = :personId and id = :runId and phase = 'inside' returning version, seq
     ) insert into traces (person_id, run_id, seq, at, version, step_id, kind, saw)
       select :personId, :runId, seq - 1, :now, version, :step, 'moved', jsonb_build_object('by', cast(:by as text)) from put returning 1`,
    { personId, runId, step, by, now: new Date(now) },
  );
  return rows.length > 0;
}

/** Forgets why decisions were made in runs that ended before a moment, at most so many of them. Answers with how many went. */
export const forgetTraces = async (sql: Sql, before: Instant, most: number): Promise<number> =>
  (
    await query(
      sql,
      `delete from traces t using (
         select t.person_id, t.run_id, t.seq from runs r join traces t on t.person_id = r.person_id and t.run_id = r.id
         where r.phase = 'ended' and r.ended_at < :before limit :most) o
       where t.person_id = o.person_id and t.run_id = o.run_id and t.seq = o.seq returning 1`,
      { before: new Date(before), most },
    )
  ).length;
