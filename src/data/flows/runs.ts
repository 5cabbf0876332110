import type { Instant } from '@/core/time';
import type { Answers, Because, Value } from '@/core/rules';
import { CALLED, type Effect, type EarlierRun, type Outcome, type Phase, type Run, type Saw, type TraceEntry } from '@/core/flows';
import { query, queryPrepared, rowsOf, type Sql } from '../db';

const BEGINNINGS = rowsOf({ person_id: 'bigint', flow_id: 'int', key: 'text' }, 'beginnings');
const RUNS = rowsOf({
  person_id: 'bigint',
  id: 'bigint',
  version: 'int',
  phase: 'text',
  entered_at: 'moment',
  about_at: 'moment',
  about_event: 'bigint',
  step: 'text',
  wait_from: 'moment',
  wait_until: 'moment',
  goal_at: 'moment',
  outcome: 'text',
  answers: 'jsonb',
  effects: 'int',
  is_doubtful: 'boolean',
  drops_due: 'boolean',
  seq: 'int',
  wake_at: 'moment',
  wakes_on: 'text[]',
  arms: 'text[]',
  ended_at: 'moment',
});
const ENTRIES = rowsOf({
  person_id: 'bigint',
  run_id: 'bigint',
  seq: 'int',
  at: 'moment',
  version: 'int',
  step_id: 'text',
  kind: 'text',
  arm: 'text',
  saw: 'jsonb',
});
const SENDS = rowsOf({
  person_id: 'bigint',
  run_id: 'bigint',
  flow_id: 'int',
  version: 'int',
  step_id: 'text',
  visit: 'int',
  at: 'moment',
  channel: 'text',
  kind: 'text',
  content: 'text',
  holds: 'text[]',
});
/** What a run that is armed holds, beside whose it is. */
export const ARMING_COLUMNS = {
  flow_id: 'int',
  version: 'int',
  trigger: 'text',
  key: 'text',
  armed_at: 'moment',
  wake_at: 'moment',
  wakes_on: 'text[]',
} as const;
const ARMED = rowsOf({ person_id: 'bigint', ...ARMING_COLUMNS });
const OF_RUNS = rowsOf({ person_id: 'bigint', id: 'bigint' });
const PARKED = rowsOf({ person_id: 'bigint', id: 'bigint', broken: 'text' });

export interface RunRow {
  person_id: string;
  id: string;
  flow_id: number;
  version: number;
  trigger: string;
  key: string;
  phase: Phase;
  entered_ms: string | null;
  about_ms: string | null;
  about_event: string | null;
  about_data: Record<string, Value> | null;
  step: string | null;
  wait_from_ms: string | null;
  wait_ms: string | null;
  goal_ms: string | null;
  outcome: Outcome | null;
  answers: Answers | null;
  effects: number;
  is_doubtful: boolean;
  drops_due: boolean;
  seq: number;
  wake_ms: string | null;
  tries: number;
  visit: number;
  done: { [step: string]: number | null } | null;
}

const RUN_COLUMNS = `r.person_id, r.id, r.flow_id, r.version, r.trigger, r.key, r.phase, r.about_event,
  r.step, r.outcome, r.answers, r.effects, r.is_doubtful, r.drops_due, r.seq, r.tries, r.visit, r.done,
  (extract(epoch from r.entered_at) * 1000)::bigint as entered_ms, (extract(epoch from r.wait_until) * 1000)::bigint as wait_ms,
  (extract(epoch from r.wait_from) * 1000)::bigint as wait_from_ms,
  (extract(epoch from r.goal_at) * 1000)::bigint as goal_ms, (extract(epoch from r.wake_at) * 1000)::bigint as wake_ms,
  (extract(epoch from r.about_at) * 1000)::bigint as about_ms`;
// what came with an event stands with the event, found by its moment and number
const ABOUT = `(select e.properties from events e where e.person_id = r.person_id and e.time = r.about_at and e.id = r.about_event)`;

const maybe = (ms: string | null): Instant | null => (ms === null ? null : Number(ms));

/** A stored run as the engine sees it. */
export function toRun(row: RunRow): Run {
  return {
    id: row.id,
    personId: row.person_id,
    about: { trigger: row.trigger, key: row.key, at: maybe(row.about_ms), eventId: row.about_event, data: row.about_data ?? {} },
    phase: row.phase,
    enteredAt: maybe(row.entered_ms),
    step: row.step,
    waitFrom: maybe(row.wait_from_ms),
    waitUntil: maybe(row.wait_ms),
    goalAt: maybe(row.goal_ms),
    outcome: row.outcome,
    answers: row.answers ?? {},
    effects: row.effects,
    visit: row.visit,
    ...(row.done && { done: row.done }),
    ...(row.drops_due && { dropsDue: true }),
    isDoubtful: row.is_doubtful,
    seq: row.seq,
  };
}

/**
 * Claims due runs, most overdue first, with everything due of each person: the person is locked, so the work of one
 * person is never done by two at once. People whom somebody else is working on are passed over in the search itself, so
 * that a second worker finds others however many the first has taken. Who is still to be looked at for segments comes
 * after that, so that a rule never sees a membership that is not true any more.
 */
export async function claimDue(sql: Sql, now: Instant, limit: number): Promise<RunRow[]> {
  return query<RunRow>(
    sql,
    `with mine as materialized (
       select p.id from runs r join people p on p.id = r.person_id where r.wake_at <= :now
         and not exists (select 1 from segment_looks l where l.person_id = p.id and l.due_at <= :now)
       order by r.wake_at limit :limit for no key update of p skip locked
     )
     select ${RUN_COLUMNS}, r.about_data from (select distinct id from mine) m join runs r on r.person_id = m.id
     where r.wake_at <= :now order by r.wake_at, r.id for update of r`,
    { now: new Date(now), limit },
  );
}

/** What came with the events that started runs, by run: for those whose rules look at it. */
export async function aboutOf(sql: Sql, runs: readonly Pick<RunRow, 'person_id' | 'id'>[]): Promise<Map<string, Record<string, Value>>> {
  if (!runs.length) return new Map();
  const rows = await query<{ id: string; data: Record<string, Value> | null }>(
    sql,
    `select r.id, ${ABOUT} as data from ${OF_RUNS.sql} as o join runs r on r.person_id = o.person_id and r.id = o.id`,
    { rows: OF_RUNS.of(runs.map(({ person_id, id }) => ({ person_id, id }))) },
  );
  return new Map(rows.map((row) => [row.id, row.data ?? {}]));
}

/** Sets runs aside that broke, with the reason: they are tried again later, longer after each time. */
export async function parkRuns(sql: Sql, runs: readonly { personId: string; id: string; broken: string }[], now: Instant): Promise<void> {
  if (!runs.length) return;
  await query(
    sql,
    `update runs t set broken = r.broken, tries = t.tries + 1, wake_at = cast(:now as timestamptz) + least(interval '1 day',
      interval '5 minutes' * power(4, least(t.tries, 10)))
     from ${PARKED.sql} as r where t.person_id = r.person_id and t.id = r.id`,
    {
      rows: PARKED.of(runs.map(({ personId, id, broken }) => ({ person_id: personId, id, broken: broken.slice(0, 500) }))),
      now: new Date(now),
    },
  );
}

/** A person and a flow that may begin for them; with a key where only runs of that key matter. */
export interface Beginning {
  readonly personId: string;
  readonly flowId: number;
  readonly key: string | null;
}

/** Runs that people have or had in flows that may begin for them, by `person/flow`. */
export type EarlierRuns = Map<string, EarlierRun[]>;

type EarlierRow = [
  personId: number,
  flowId: number,
  id: number,
  key: string,
  phase: Phase,
  outcome: Outcome | null,
  enteredAt: Instant | null,
  effects: number,
];

/** {@link earlierRuns} as one value of a statement; its binding is `beginnings`. Runs that never entered do not count. */
export const EARLIER = `(select json_agg(json_build_array(r.person_id, r.flow_id, r.id, r.key, r.phase, r.outcome,
    (extract(epoch from r.entered_at) * 1000)::bigint, r.effects))
  from (select distinct person_id, flow_id, key from ${BEGINNINGS.sql} as b) b
  cross join lateral (
    select * from runs where person_id = b.person_id and flow_id = b.flow_id and key = b.key and entered_at is not null
    union all select * from runs where b.key is null and person_id = b.person_id and flow_id = b.flow_id and entered_at is not null
  ) r)`;

export const beginningRows = (beginnings: readonly Beginning[]): string =>
  BEGINNINGS.of(beginnings.map(({ personId, flowId, key }) => ({ person_id: personId, flow_id: flowId, key })));

/** Reads what {@link EARLIER} gives. */
export function readEarlier(rows: readonly EarlierRow[] | null): EarlierRuns {
  const found: EarlierRuns = new Map();
  for (const [personId, flowId, number, key, phase, outcome, enteredAt, effects] of rows ?? []) {
    const id = `${personId}/${flowId}`;
    let list = found.get(id);
    if (!list) found.set(id, (list = []));
    list.push({ id: String(number), key, phase, outcome, enteredAt, effects });
  }
  return found;
}

/** The runs that people have or had in flows that may begin for them. */
export async function earlierRuns(sql: Sql, beginnings: readonly Beginning[]): Promise<EarlierRuns> {
  if (!beginnings.length) return new Map();
  const [row] = await queryPrepared<{ earlier: EarlierRow[] | null }>(sql, 'earlier_runs', `select ${EARLIER} as earlier`, {
    beginnings: beginningRows(beginnings),
  });
  return readEarlier(row!.earlier);
}

export interface RunChange {
  readonly run: Run;
  readonly version: number;
  readonly now: Instant;
  readonly wakeAt: Instant | null;
  readonly wakesOn: readonly string[];
  readonly trace: readonly TraceEntry[];
}

const stamp = (at: Instant | null) => (at === null ? null : new Date(at));

/** Stores the new state of runs and adds to their traces. */
export async function saveRuns(sql: Sql, changes: readonly RunChange[]): Promise<void> {
  if (!changes.length) return;
  await query(
    sql,
    `update runs t set version = r.version, phase = r.phase, entered_at = r.entered_at, about_at = r.about_at, about_event = r.about_event,
       step = r.step, wait_from = r.wait_from, wait_until = r.wait_until, goal_at = r.goal_at, outcome = r.outcome,
       answers = coalesce(r.answers, t.answers), effects = r.effects,
       is_doubtful = r.is_doubtful, drops_due = r.drops_due, seq = r.seq, wake_at = r.wake_at, arms = t.arms || r.arms, wakes_on = r.wakes_on,
       ended_at = coalesce(t.ended_at, r.ended_at), broken = null, tries = 0
     from ${RUNS.sql} as r
     where t.person_id = r.person_id and t.id = r.id`,
    {
      rows: RUNS.of(
        changes.map(({ run, version, now, wakeAt, wakesOn, trace }) => ({
          person_id: run.personId,
          id: run.id,
          version,
          phase: run.phase,
          entered_at: stamp(run.enteredAt),
          about_at: stamp(run.about.at),
          about_event: run.about.eventId,
          step: run.step,
          wait_from: stamp(run.waitFrom),
          wait_until: stamp(run.waitUntil),
          goal_at: stamp(run.goalAt),
          outcome: run.outcome,
          answers: Object.keys(run.answers).length ? run.answers : null,
          effects: run.effects,
          is_doubtful: run.isDoubtful,
          drops_due: run.phase === 'inside' && run.dropsDue === true,
          seq: run.seq,
          wake_at: stamp(wakeAt),
          wakes_on: wakesOn,
          arms: trace.flatMap((entry) => entry.armId ?? []),
          ended_at: run.outcome ? stamp(now) : null,
        })),
      ),
    },
  );
  const entries = changes.flatMap(({ run, version, trace }) =>
    trace.map((entry) => ({
      person_id: run.personId,
      run_id: run.id,
      seq: entry.seq,
      at: stamp(entry.at),
      version,
      step_id: entry.stepId,
      kind: entry.kind,
      arm: entry.armId ?? null,
      saw: entry.saw ?? null,
    })),
  );
  if (!entries.length) return;
  await query(
    sql,
    `insert into traces (person_id, run_id, seq, at, version, step_id, kind, arm, saw)
     select person_id, run_id, seq, at, version, step_id, kind, arm, saw
     from ${ENTRIES.sql} as r`,
    { rows: ENTRIES.of(entries) },
  );
}

export interface NewSend {
  readonly run: Run;
  readonly flowId: number;
  readonly version: number;
  readonly effect: Extract<Effect, { kind: 'send' }>;
  readonly at: Instant;
}

export interface SendRef {
  readonly personId: string;
  readonly id: string;
  /** somebody waits for it: it goes by a queue of its own, also when it is put off */
  readonly isService?: boolean;
}

/** Writes what is to be sent. A send that is there already, by run, step and visit, is left alone and not answered. */
export async function insertSends(sql: Sql, sends: readonly NewSend[]): Promise<SendRef[]> {
  if (!sends.length) return [];
  const services = new Set(sends.filter((send) => !send.effect.marketing).map(({ run, effect }) => `${run.id}/${effect.stepId}`));
  const rows = await query<{ person_id: string; id: string; run_id: string; step_id: string }>(
    sql,
    `insert into sends (person_id, run_id, flow_id, version, step_id, visit, state, queued_at, channel, kind, content, holds)
     select person_id, run_id, flow_id, version, step_id, visit, 'queued', at, channel, kind, content, coalesce(holds, '{}')
     from ${SENDS.sql} as r
     on conflict (person_id, run_id, step_id, visit) do nothing returning person_id, id, run_id, step_id`,
    {
      rows: SENDS.of(
        sends.map(({ run, flowId, version, effect, at }) => ({
          person_id: run.personId,
          run_id: run.id,
          flow_id: flowId,
          version,
          step_id: effect.stepId,
          visit: effect.visit,
          at: new Date(at),
          channel: effect.channel,
          content: effect.content ?? null,
          holds: effect.holds ?? [],
          kind: effect.marketing ? 'marketing' : 'service',
        })),
      ),
    },
  );
  return rows.map((row) => ({ personId: row.person_id, id: row.id, isService: services.has(`${row.run_id}/${row.step_id}`) }));
}

/** A run that is to be armed, and due at `wakeAt`. */
export interface Arming {
  readonly personId: string;
  readonly flowId: number;
  readonly version: number;
  readonly trigger: string;
  readonly key: string;
  readonly wakeAt: Instant;
  readonly armedAt: Instant;
  /** signals that can end it before */
  readonly wakesOn: readonly string[];
}

/** Arms runs whose trigger has begun. One that is armed already only gets the earlier of the two moments. */
export async function armRuns(sql: Sql, rows: readonly Arming[]): Promise<void> {
  if (!rows.length) return;
  await queryPrepared(
    sql,
    'arm_runs',
    `insert into runs (person_id, flow_id, version, trigger, key, phase, armed_at, wake_at, wakes_on)
     select person_id, flow_id, version, trigger, key, 'armed', armed_at, wake_at, wakes_on
     from ${ARMED.sql} as r
     on conflict (person_id, flow_id, key, trigger, (case when phase = 'armed' then 0 else id end)) do update
       set wake_at = least(runs.wake_at, excluded.wake_at)`,
    {
      rows: ARMED.of(
        rows.map((r) => ({
          person_id: r.personId,
          flow_id: r.flowId,
          version: r.version,
          trigger: r.trigger,
          key: r.key,
          armed_at: new Date(r.armedAt),
          wake_at: new Date(r.wakeAt),
          wakes_on: r.wakesOn,
        })),
      ),
    },
  );
}

/** The next moment at which anything is due, or null when nobody waits for anything. */
export async function nextDue(sql: Sql): Promise<Instant | null> {
  const [row] = await query<{ ms: string | null }>(
    sql,
    `select (extract(epoch from least((select min(wake_at) from runs where wake_at is not null),
       (select min(due_at) from segment_looks), (select min(not_before) from sends where not_before is not null),
       (select min(coalesce(o.try_at, o.next_at)) from flow_occasions o join flows f on f.id = o.flow_id where f.state = 'on'),
       (select min(at) from changes_to_tell),
       (select min(least(used_at, expires_at)) from codes
         where not is_told and issued_at is not null and (used_at is not null or expires_at is not null)),
       (select min(c.at) from product_tellings t join product_changes c on c.id = t.change_id))) * 1000)::bigint as ms`,
  );
  return row?.ms ? Number(row.ms) : null;
}

/** True when something is due at this moment of store time. */
export async function isAnythingDue(sql: Sql, now: Instant): Promise<boolean> {
  const [row] = await query<{ due: boolean }>(
    sql,
    `select exists (select 1 from runs where wake_at <= :now) or exists (select 1 from segment_looks where due_at <= :now)
       or exists (select 1 from flow_occasions o join flows f on f.id = o.flow_id
         where coalesce(o.try_at, o.next_at) <= :now and f.state = 'on') or exists (select 1 from changes_to_tell)
       or exists (select 1 from product_tellings) or exists (select 1 from sends where not_before <= :now)
       or exists (select 1 from codes where not is_told and issued_at is not null and (used_at is not null or expires_at is not null)
         and least(used_at, expires_at) <= :now) as due`,
    {
      now: new Date(now),
    },
  );
  return row!.due;
}

/** Runs by their people and numbers; keys are run ids. */
export async function findRuns(sql: Sql, runs: readonly Pick<RunRow, 'person_id' | 'id'>[]): Promise<Map<string, RunRow>> {
  const rows = await queryPrepared<RunRow>(
    sql,
    'find_runs',
    `select ${RUN_COLUMNS}, coalesce(r.about_data, ${ABOUT}) as about_data
     from ${OF_RUNS.sql} as o join runs r on r.person_id = o.person_id and r.id = o.id`,
    { rows: OF_RUNS.of(runs.map(({ person_id, id }) => ({ person_id, id }))) },
  );
  return new Map(rows.map((row) => [row.id, row]));
}

/** Every run that a person had or has in a flow. */
export async function runsIn(sql: Sql, personId: string, flowId: number): Promise<EarlierRun[]> {
  return query<EarlierRun>(
    sql,
    `select id, key, phase, outcome, (extract(epoch from entered_at) * 1000)::double precision as "enteredAt", effects
     from runs where person_id = :personId and flow_id = :flowId order by id`,
    { personId, flowId },
  );
}

/** The runs of people that had entered some flows before a moment, by person and key of the flow; each as it stands now. */
export async function runsBefore(
  sql: Sql,
  personIds: readonly string[],
  flows: readonly string[],
  moment: Instant,
): Promise<Map<string, Map<string, EarlierRun[]>>> {
  const rows = await query<EarlierRun & { person: string; flow: string }>(
    sql,
    `select r.person_id as person, f.key as flow, r.id, r.key, r.phase, r.outcome,
       (extract(epoch from r.entered_at) * 1000)::double precision as "enteredAt", r.effects
     from runs r join flows f on f.id = r.flow_id
     where r.person_id = any(cast(:personIds as bigint[])) and f.key = any(cast(:flows as text[])) and r.entered_at < :moment
     order by r.person_id, r.id`,
    { personIds, flows, moment: new Date(moment) },
  );
  const found = new Map<string, Map<string, EarlierRun[]>>();
  for (const { person, flow, ...run } of rows) {
    let own = found.get(person);
    if (!own) found.set(person, (own = new Map()));
    const runs = own.get(flow);
    if (runs) runs.push(run);
    else own.set(flow, [run]);
  }
  return found;
}

/** An entry of a trace as it is stored. `says` and `because` are of before traces were data. */
export interface TraceRow {
  at: Date;
  version: number | null;
  step_id: string | null;
  kind: TraceEntry['kind'];
  arm: string | null;
  saw: Saw | null;
  says: string | null;
  because: Because | null;
  trigger: string;
  key: string;
}

/** What a flow decided about one person, newest first: the end of each run, refusals and messages that did not go out. */
export async function tracesOf(sql: Sql, personId: string, flowId: number, limit: number): Promise<TraceRow[]> {
  return query<TraceRow>(
    sql,
    `select t.at, t.version, t.step_id, t.kind, t.arm, t.saw, t.says, t.because, r.trigger, r.key from traces t
      join runs r on r.person_id = t.person_id and r.id = t.run_id
     where t.person_id = :personId and r.flow_id = :flowId order by t.at desc, t.run_id desc, t.seq desc limit :limit`,
    { personId, flowId, limit },
  );
}

/** Arms a run that was called directly: its event is given, and it is due at once. */
export async function armCalled(
  sql: Sql,
  run: { personId: string; flowId: number; version: number; key: string; eventId: string; eventAt: Instant; at: Instant },
): Promise<void> {
  await query(
    sql,
    `insert into runs (person_id, flow_id, version, trigger, key, phase, armed_at, about_event, about_at, wake_at)
     values (:personId, :flowId, :version, '${CALLED}', :key, 'armed', :at, :eventId, :eventAt, :at)
     on conflict (person_id, flow_id, key, trigger, (case when phase = 'armed' then 0 else id end)) do update
       set about_event = excluded.about_event, about_at = excluded.about_at, wake_at = excluded.wake_at`,
    { ...run, at: new Date(run.at), eventAt: new Date(run.eventAt) },
  );
}
