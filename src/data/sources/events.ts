import { hash } from 'node:crypto';
import type { Instant } from '@/core/time';
import type { Value } from '@/core/rules';
import { ARRIVALS, arrivalRows, type Arrival } from './catalogue';
import { query, queryPrepared, rowsOf, textList, type Sql } from '../db';
import { beginningRows, EARLIER, readEarlier, type Beginning, type EarlierRuns } from '../flows';

const WAKES = rowsOf({ person_id: 'bigint', types: 'text[]' }, 'wakes');
const EVENTS = rowsOf({
  person_id: 'bigint',
  type: 'text',
  time: 'moment',
  source: 'text',
  event_id: 'text',
  properties: 'jsonb',
  source_id: 'int',
  via: 'text',
});

/** Of who is to be looked at for segments already: at the earlier moment, for all of the signals. */
export const LOOK_SOONER = `on conflict (person_id) do update set due_at = least(segment_looks.due_at, excluded.due_at),
         noted_in = pg_current_xact_id(), signals = array(select distinct unnest(segment_looks.signals || excluded.signals))`;

export interface NewEvent {
  readonly personId: string;
  readonly type: string;
  readonly time: Instant;
  readonly source: string;
  readonly eventId: string;
  readonly properties: { readonly [name: string]: Value };
  /** the phone or device by which alone the event found its owner */
  readonly via?: string | null;
  /** the source through which it came in */
  readonly sourceId: number;
}

/** What makes an event unique, as 128 bits: its source and id. */
export function eventKey(source: string, id: string): string {
  const hex = hash('sha256', `${source}\0${id}`);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20, 32)}`;
}

/** Claims the keys of events and answers with those that are new: an event sent twice counts once. */
export async function claimEventKeys(sql: Sql, keys: readonly string[]): Promise<Set<string>> {
  const rows = await query<{ key: string }>(
    sql,
    `insert into event_keys (key) select distinct key from unnest(cast(:keys as uuid[])) as key order by key on conflict do nothing returning key`,
    { keys },
  );
  return new Set(rows.map((row) => row.key));
}

export interface WithEvents {
  /** what the batches brought, noted for the catalogue */
  readonly arrivals: readonly Arrival[];
  /** flows that the events may begin: whose earlier runs are asked for */
  readonly beginnings: readonly Beginning[];
}

/**
 * Writes events, wakes the runs that wait for such events of their person, notes who is to be looked at for segments, and
 * answers with the earlier runs of flows that may begin. All in one statement, since each round trip costs as much as dozens
 * of rows.
 */
export async function insertEvents(
  sql: Sql,
  events: readonly NewEvent[],
  receivedAt: Instant,
  { arrivals, beginnings }: WithEvents,
): Promise<EarlierRuns> {
  const types = new Map<string, Set<string>>();
  for (const { personId, type } of events) {
    const own = types.get(personId);
    if (own) own.add(type);
    else types.set(personId, new Set([type]));
  }
  const [row] = await queryPrepared<{ earlier: Parameters<typeof readEarlier>[0] }>(
    sql,
    'insert_events',
    `with noted as (
       insert into arrivals (source_id, at, accepted, duplicates, rejected, seen, products) ${ARRIVALS}
     ), woken as (
       update runs r set wake_at = least(coalesce(r.wake_at, cast(:receivedAt as timestamptz)), cast(:receivedAt as timestamptz)), is_doubtful = true
       from ${WAKES.sql} as w
       where r.person_id = w.person_id and r.person_id = any(cast(:personIds as bigint[])) and r.phase <> 'ended' and r.wakes_on && w.types
     ), looked as (
       insert into segment_looks (person_id, due_at, signals)
       select w.person_id, cast(:receivedAt as timestamptz), array_agg(s.signal) from ${WAKES.sql} as w
         join segment_signals s on s.signal = any(w.types) group by 1
       ${LOOK_SOONER}
     ), written as (
       insert into events (person_id, type, time, source, event_id, properties, received_at, source_id, via)
       select person_id, type, time, source, event_id, properties, cast(:receivedAt as timestamptz), source_id, via
       from ${EVENTS.sql} as r
     )
     select ${EARLIER} as earlier`,
    {
      rows: EVENTS.of(
        events.map((e) => ({
          person_id: e.personId,
          type: e.type,
          time: e.time,
          source: e.source,
          event_id: e.eventId,
          properties: e.properties,
          source_id: e.sourceId,
          ...(e.via && { via: e.via }),
        })),
      ),
      receivedAt: new Date(receivedAt),
      arrivals: arrivalRows(arrivals),
      beginnings: beginningRows(beginnings),
      personIds: textList([...types.keys()]),
      wakes: WAKES.of([...types].map(([personId, own]) => ({ person_id: personId, types: [...own] }))),
    },
  );
  return readEarlier(row!.earlier);
}

/** Makes sure that the months around now have a partition of their own. */
export async function makeEventMonths(sql: Sql, now: Instant): Promise<void> {
  await query(sql, `select make_event_months(cast(:now as date), 4)`, { now: new Date(now) });
}

/** Forgets events of some types that happened before a moment, at most so many. Answers with how many went. */
export const forgetEvents = async (sql: Sql, types: readonly string[], before: Instant, most: number): Promise<number> =>
  (
    await query(
      sql,
      `delete from events e using (select person_id, time, id from events where type = any(cast(:types as text[])) and time < :before limit :most) o
       where e.person_id = o.person_id and e.time = o.time and e.id = o.id returning 1`,
      { types, before: new Date(before), most },
    )
  ).length;
