import type { Instant } from '@/core/time';
import type { Because } from '@/core/rules';
import type { Effect, EarlierRun, Outcome, Phase, Run, TraceEntry } from '@/core/flows';
import { query, queryPrepared, type Sql } from './db';
import { rowsOf } from './rows';

const BEGINNINGS = rowsOf({ person_id: 'bigint', flow_id: 'int', key: 'text' }, 'beginnings');
const RUNS = rowsOf({ person_id: 'bigint', id: 'bigint', version: 'int', phase: 'text', entered_at: 'moment', trigger_id: 'bigint', step: 'text', wait_until: 'moment', goal_at: 'moment', outcome: 'text', seq: 'int', wake_at: 'moment', wakes_on: 'text[]', arms: 'text[]', ended_at: 'moment' });
const ENTRIES = rowsOf({ person_id: 'bigint', run_id: 'bigint', seq: 'int', at: 'moment', step_id: 'text', kind: 'text', says: 'text', because: 'jsonb' });
const SENDS = rowsOf({ person_id: 'bigint', run_id: 'bigint', flow_id: 'int', version: 'int', step_id: 'text', visit: 'int', trigger_id: 'bigint', at: 'moment' });
const ARMED = rowsOf({ person_id: 'bigint', flow_id: 'int', version: 'int', key: 'text', armed_at: 'moment', wake_at: 'moment' });

export interface RunRow {
  person_id: string;
  id: string;
  flow_id: number;
  version: number;
  key: string;
  phase: Phase;
  entered_ms: string | null;
  trigger_id: string | null;
  step: string | null;
  wait_ms: string | null;
  goal_ms: string | null;
  outcome: Outcome | null;
  seq: number;
  wake_ms: string | null;
}

const RUN_COLUMNS = `r.person_id, r.id, r.flow_id, r.version, r.key, r.phase, r.trigger_id, r.step, r.outcome, r.seq,
  (extract(epoch from r.entered_at) * 1000)::bigint as entered_ms, (extract(epoch from r.wait_until) * 1000)::bigint as wait_ms,
  (extract(epoch from r.goal_at) * 1000)::bigint as goal_ms, (extract(epoch from r.wake_at) * 1000)::bigint as wake_ms`;

const maybe = (ms: string | null): Instant | null => (ms === null ? null : Number(ms));

/** A stored run as the engine sees it. */
export function toRun(row: RunRow): Run {
  return {
    id: row.id, personId: row.person_id, key: row.key, phase: row.phase, enteredAt: maybe(row.entered_ms), triggerId: row.trigger_id,
    step: row.step, waitUntil: maybe(row.wait_ms), goalAt: maybe(row.goal_ms), outcome: row.outcome, seq: row.seq,
  };
}

/**
 * Claims due runs, most overdue first, with everything due of each person: the person is locked, so the work of one
 * person is never done by two at once, and people whom somebody else is working on are passed over.
 */
export async function claimDue(sql: Sql, now: Instant, limit: number): Promise<RunRow[]> {
  return query<RunRow>(
    sql,
    `with due as materialized (
       select person_id from runs where wake_at <= :now order by wake_at limit :limit
     ), mine as materialized (
       select id from people where id in (select person_id from due) for no key update skip locked
     )
     select ${RUN_COLUMNS} from mine join runs r on r.person_id = mine.id
     where r.wake_at <= :now order by r.wake_at, r.id for update of r`,
    { now: new Date(now), limit },
  );
}

/** A person and a flow that may begin for them; with a key where only runs of that key matter. */
export interface Beginning {
  readonly personId: string;
  readonly flowId: number;
  readonly key: string | null;
}

/** Runs that people have or had in flows that may begin for them, by `person/flow`. */
export type EarlierRuns = Map<string, (EarlierRun & { id: string })[]>;

type EarlierRow = [personId: number, flowId: number, id: number, key: string, phase: Phase, outcome: Outcome | null];

/** {@link earlierRuns} as one value of a statement; its binding is `beginnings`. */
export const EARLIER = `(select json_agg(json_build_array(r.person_id, r.flow_id, r.id, r.key, r.phase, r.outcome))
  from (select distinct person_id, flow_id, key from ${BEGINNINGS.sql} as b) b
  cross join lateral (
    select * from runs where person_id = b.person_id and flow_id = b.flow_id and key = b.key
    union all select * from runs where b.key is null and person_id = b.person_id and flow_id = b.flow_id
  ) r)`;

export const beginningRows = (beginnings: readonly Beginning[]): string => BEGINNINGS.of(beginnings.map(({ personId, flowId, key }) => ({ person_id: personId, flow_id: flowId, key })));

/** Reads what {@link EARLIER} gives. */
export function readEarlier(rows: readonly EarlierRow[] | null): EarlierRuns {
  const found = new Map<string, (EarlierRun & { id: string })[]>();
  for (const [personId, flowId, number, key, phase, outcome] of rows ?? []) {
    const id = `${personId}/${flowId}`;
    let list = found.get(id);
    if (!list) found.set(id, (list = []));
    list.push({ id: String(number), key, phase, outcome });
  }
  return found;
}

/** The runs that people have or had in flows that may begin for them. */
export async function earlierRuns(sql: Sql, beginnings: readonly Beginning[]): Promise<EarlierRuns> {
  if (!beginnings.length) return new Map();
  const [row] = await queryPrepared<{ earlier: EarlierRow[] | null }>(sql, 'earlier_runs', `select ${EARLIER} as earlier`, { beginnings: beginningRows(beginnings) });
  return readEarlier(row!.earlier);
}

export interface RunChange {
  readonly run: Run;
  readonly version: number;
  readonly now: Instant;
  readonly wakeAt: Instant | null;
  readonly wakesOn: readonly string[];
  readonly arms: readonly string[];
  readonly trace: readonly TraceEntry[];
}

const stamp = (at: Instant | null) => (at === null ? null : new Date(at));

/** Stores the new state of runs and adds to their traces. */
export async function saveRuns(sql: Sql, changes: readonly RunChange[]): Promise<void> {
  if (!changes.length) return;
  await query(
    sql,
    `update runs t set version = r.version, phase = r.phase, entered_at = r.entered_at, trigger_id = r.trigger_id, step = r.step, wait_until = r.wait_until,
       goal_at = r.goal_at, outcome = r.outcome, seq = r.seq, wake_at = r.wake_at, arms = t.arms || r.arms,
       wakes_on = r.wakes_on, ended_at = coalesce(t.ended_at, r.ended_at)
     from ${RUNS.sql} as r
     where t.person_id = r.person_id and t.id = r.id`,
    {
      rows: RUNS.of(changes.map(({ run, version, now, wakeAt, wakesOn, arms }) => ({
        person_id: run.personId, id: run.id, version, phase: run.phase, entered_at: stamp(run.enteredAt), trigger_id: run.triggerId, step: run.step,
        wait_until: stamp(run.waitUntil), goal_at: stamp(run.goalAt), outcome: run.outcome, seq: run.seq, wake_at: stamp(wakeAt), wakes_on: wakesOn, arms,
        ended_at: run.outcome ? stamp(now) : null,
      }))),
    },
  );
  const entries = changes.flatMap(({ run, trace }) => trace.map((entry) => ({
    person_id: run.personId, run_id: run.id, seq: entry.seq, at: stamp(entry.at), step_id: entry.stepId, kind: entry.kind, says: entry.says, because: entry.because ?? null,
  })));
  if (!entries.length) return;
  await query(
    sql,
    `insert into traces (person_id, run_id, seq, at, step_id, kind, says, because)
     select person_id, run_id, seq, at, step_id, kind, says, because
     from ${ENTRIES.sql} as r`,
    { rows: ENTRIES.of(entries) },
  );
}

export interface NewSend {
  readonly run: Run;
  readonly flowId: number;
  readonly version: number;
  readonly effect: Effect;
  readonly at: Instant;
  /** a message that somebody waits for */
  readonly isService?: boolean;
}

export interface SendRef {
  readonly personId: string;
  readonly id: string;
}

/** Writes what is to be sent. A send that is there already, by run, step and visit, is left alone and not answered. */
export async function insertSends(sql: Sql, sends: readonly NewSend[]): Promise<(SendRef & { isService: boolean })[]> {
  if (!sends.length) return [];
  const services = new Set(sends.filter((send) => send.isService).map(({ run, effect }) => `${run.id}/${effect.stepId}`));
  const rows = await query<{ person_id: string; id: string; run_id: string; step_id: string }>(
    sql,
    `insert into sends (person_id, run_id, flow_id, version, step_id, visit, trigger_id, state, queued_at)
     select person_id, run_id, flow_id, version, step_id, visit, trigger_id, 'queued', at
     from ${SENDS.sql} as r
     on conflict (person_id, run_id, step_id, visit) do nothing returning person_id, id, run_id, step_id`,
    {
      rows: SENDS.of(sends.map(({ run, flowId, version, effect, at }) => ({
        person_id: run.personId, run_id: run.id, flow_id: flowId, version, step_id: effect.stepId, visit: effect.visit, trigger_id: effect.triggerId, at: new Date(at),
      }))),
    },
  );
  return rows.map((row) => ({ personId: row.person_id, id: row.id, isService: services.has(`${row.run_id}/${row.step_id}`) }));
}

/** A run that is to be armed, and due at `wakeAt`. */
export interface Arming { readonly personId: string; readonly flowId: number; readonly version: number; readonly key: string; readonly wakeAt: Instant; readonly armedAt: Instant }

/** Arms runs whose trigger has begun. One that is armed already only gets the earlier of the two moments. */
export async function armRuns(sql: Sql, rows: readonly Arming[]): Promise<void> {
  if (!rows.length) return;
  await queryPrepared(
    sql,
    'arm_runs',
    `insert into runs (person_id, flow_id, version, key, phase, armed_at, wake_at)
     select person_id, flow_id, version, key, 'armed', armed_at, wake_at
     from ${ARMED.sql} as r
     on conflict (person_id, flow_id, key, (case when phase = 'armed' then 0 else id end)) do update set wake_at = least(runs.wake_at, excluded.wake_at)`,
    { rows: ARMED.of(rows.map((r) => ({ person_id: r.personId, flow_id: r.flowId, version: r.version, key: r.key, armed_at: new Date(r.armedAt), wake_at: new Date(r.wakeAt) }))) },
  );
}

/** Wakes the runs of these people that wait for any of these event types. */
export async function wakeRuns(sql: Sql, personIds: readonly string[], types: readonly string[], now: Instant): Promise<void> {
  if (!personIds.length || !types.length) return;
  await query(
    sql,
    `update runs set wake_at = least(coalesce(wake_at, :now), :now)
     where person_id = any(cast(:personIds as bigint[])) and phase in ('inside', 'watching') and wakes_on && cast(:types as text[])`,
    { personIds, types, now: new Date(now) },
  );
}

/** The next moment at which anything is due, or null when nobody waits for anything. */
export async function nextDue(sql: Sql): Promise<Instant | null> {
  const [row] = await query<{ ms: string | null }>(sql, `select (extract(epoch from min(wake_at)) * 1000)::bigint as ms from runs where wake_at is not null`);
  return row?.ms ? Number(row.ms) : null;
}

/** True when something is due at this moment of store time. */
export async function isAnythingDue(sql: Sql, now: Instant): Promise<boolean> {
  const [row] = await query<{ due: boolean }>(sql, 'select exists (select 1 from runs where wake_at <= :now) as due', { now: new Date(now) });
  return row!.due;
}

/** What a flow decided about one person, newest first: the end of each run, refusals and messages that did not go out. */
export async function runsOf(sql: Sql, personId: string, flowId: number, limit: number): Promise<{ at: Date; says: string; because: Because | null }[]> {
  return query(
    sql,
    `select t.at, t.says, t.because from traces t join runs r on r.person_id = t.person_id and r.id = t.run_id
     where t.person_id = :personId and r.flow_id = :flowId order by t.at desc, t.run_id desc, t.seq desc limit :limit`,
    { personId, flowId, limit },
  );
}

/** Arms a run that was called directly: its event is given, and it is due at once. */
export async function armCalled(sql: Sql, run: { personId: string; flowId: number; version: number; key: string; triggerId: string; at: Instant }): Promise<void> {
  await query(
    sql,
    `insert into runs (person_id, flow_id, version, key, phase, armed_at, trigger_id, wake_at)
     values (:personId, :flowId, :version, :key, 'armed', :at, :triggerId, :at)
     on conflict (person_id, flow_id, key, (case when phase = 'armed' then 0 else id end)) do update set trigger_id = excluded.trigger_id, wake_at = excluded.wake_at`,
    { ...run, at: new Date(run.at) },
  );
}

/** Takes a person out of a run. Answers whether it was still under way. */
export async function endRun(sql: Sql, personId: string, runId: string, by: string, at: Instant): Promise<boolean> {
  const rows = await query<{ seq: number }>(
    sql,
    `update runs set phase = 'ended', outcome = coalesce(outcome, 'left'), step = null, wait_until = null, wake_at = null, wakes_on = '{}', ended_at = :at, seq = seq + 1
     where person_id = :personId and id = :runId and phase <> 'ended' returning seq`,
    { personId, runId, at: new Date(at) },
  );
  if (!rows.length) return false;
  await query(sql, `insert into traces (person_id, run_id, seq, at, kind, says) values (:personId, :runId, :seq, :at, 'left', :says)`, { personId, runId, seq: rows[0]!.seq - 1, at: new Date(at), says: `Left: taken out by ${by}` });
  return true;
}
