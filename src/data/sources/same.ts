import type { Instant } from '@/core/time';
import type { Value } from '@/core/rules';
import { LOOK_SOONER } from './events';
import { OWN_SOURCE } from './sources';
import { queryOne, rowsOf, type Sql } from '../db';
import { ARMING_COLUMNS, type Arming } from '../flows';

/** An event of our own that many people have alike: what makes it unique is its name, and whose it is. */
export interface SameEvent {
  readonly type: string;
  /** an event's id is this with the number of the person behind it */
  readonly name: string;
  readonly properties: { readonly [name: string]: Value };
  readonly time: Instant;
}

/** A run that an event arms, whosever it is; `once` tells whether who was in the flow before can never start again, and with which key. */
export interface SameArming extends Omit<Arming, 'personId'> {
  readonly once: 'ever' | 'by-key' | null;
}

const ARMED = rowsOf({ ...ARMING_COLUMNS, once: 'text' }, 'armed');

/**
 * Records the same event for many people who are locked, once each: writes it, wakes the runs that wait for such, notes who is to be
 * looked at for segments, and arms what it starts. One statement for all of them: nothing of a person goes back and forth. An event's
 * key is that of `eventKey`; nobody else records the same meanwhile, for which the caller answers. Answers for how many it was new.
 */
export async function insertSame(
  sql: Sql,
  ids: readonly string[],
  event: SameEvent,
  receivedAt: Instant,
  armings: readonly SameArming[],
): Promise<number> {
  const row = await queryOne<{ count: number }>(
    sql,
    `with named as materialized (
       select id, cast(:name as text) || id as event_id,
         encode(substring(sha256('viatic'::bytea || '\\x00'::bytea || convert_to(cast(:name as text) || id, 'UTF8')) for 16), 'hex')::uuid as key
       from unnest(cast(:ids as bigint[])) as id
     ), fresh as materialized (
       select n.id, n.event_id, n.key from named n where not exists (select 1 from event_keys k where k.key = n.key)
     ), claimed as (
       insert into event_keys (key) select key from fresh order by key
     ), woken as (
       update runs r set wake_at = least(coalesce(r.wake_at, cast(:receivedAt as timestamptz)), cast(:receivedAt as timestamptz)), is_doubtful = true
       from fresh f where r.person_id = f.id and r.person_id = any(cast(:ids as bigint[])) and r.phase <> 'ended' and r.wakes_on && array[cast(:type as text)]
     ), looked as (
       insert into segment_looks (person_id, due_at, signals)
       select f.id, cast(:receivedAt as timestamptz), array[cast(:type as text)] from fresh f
         where exists (select 1 from segment_signals where signal = :type)
       ${LOOK_SOONER}
     ), written as (
       insert into events (person_id, type, time, source, event_id, properties, received_at, source_id)
       select id, :type, cast(:time as timestamptz), 'viatic', event_id, cast(:properties as jsonb), cast(:receivedAt as timestamptz), ${OWN_SOURCE}
       from fresh
     ), armed as (
       insert into runs (person_id, flow_id, version, trigger, key, phase, armed_at, wake_at, wakes_on)
       select f.id, a.flow_id, a.version, a.trigger, a.key, 'armed', a.armed_at, a.wake_at, a.wakes_on
       from fresh f cross join ${ARMED.sql} as a
       where a.once is null or not exists (
         select 1 from runs e where e.person_id = f.id and e.flow_id = a.flow_id and (a.once = 'ever' or e.key = a.key)
           and e.entered_at is not null and e.phase <> 'armed' and e.outcome is distinct from 'not-entered'
           and (e.outcome is distinct from 'undone' or e.effects > 0))
       on conflict (person_id, flow_id, key, trigger, (case when phase = 'armed' then 0 else id end)) do update
         set wake_at = least(runs.wake_at, excluded.wake_at)
     )
     select count(*)::int as count from fresh`,
    {
      ids,
      name: event.name,
      type: event.type,
      properties: JSON.stringify(event.properties),
      time: new Date(event.time),
      receivedAt: new Date(receivedAt),
      armed: ARMED.of(
        armings.map((one) => ({
          flow_id: one.flowId,
          version: one.version,
          trigger: one.trigger,
          key: one.key,
          armed_at: new Date(one.armedAt),
          wake_at: new Date(one.wakeAt),
          wakes_on: one.wakesOn,
          once: one.once,
        })),
      ),
    },
  );
  return row!.count;
}
