import { createHash } from 'node:crypto';
import type { Instant } from '@/core/time';
import type { Value } from '@/core/rules';
import type { Arrival } from './catalogue';
import { asRows, query, type Sql } from './db';

export interface NewEvent {
  readonly personId: string;
  readonly type: string;
  readonly time: Instant;
  readonly source: string;
  readonly eventId: string;
  readonly properties: { readonly [name: string]: Value };
  /** the phone or device by which alone the event found its owner */
  readonly via?: string | null;
}

/** What makes an event unique, as 128 bits: its source and id. */
export function eventKey(source: string, id: string): string {
  const hex = createHash('sha256').update(source).update('\0').update(id).digest('hex');
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

/**
 * Writes events and answers with their ids, in the order given. In the same statement, since each round trip costs as
 * much as dozens of rows: what the batch brought is noted for the catalogue, and runs that wait for such events are woken.
 */
export async function insertEvents(sql: Sql, events: readonly NewEvent[], receivedAt: Instant, arrival: Arrival, wakes: readonly string[]): Promise<string[]> {
  if (!events.length) return [];
  const rows = await query<{ id: string }>(
    sql,
    `with noted as (
       insert into arrivals (source_id, at, accepted, duplicates, rejected, seen) values (:sourceId, :receivedAt, :accepted, :duplicates, :rejected, :seen)
     ), woken as (
       update runs set wake_at = least(coalesce(wake_at, cast(:receivedAt as timestamptz)), cast(:receivedAt as timestamptz))
       where person_id = any(cast(:personIds as bigint[])) and phase in ('inside', 'watching') and wakes_on && cast(:wakes as text[])
     )
     insert into events (person_id, type, time, source, event_id, properties, received_at, source_id, via)
     select person_id, type, to_timestamp(time_ms / 1000.0), source, event_id, properties, cast(:receivedAt as timestamptz), :sourceId, via
     from json_to_recordset(cast(:rows as json)) as r(person_id bigint, type text, time_ms numeric, source text, event_id text, properties jsonb, via text)
     returning id`,
    {
      rows: asRows(events.map((e) => ({ person_id: e.personId, type: e.type, time_ms: e.time, source: e.source, event_id: e.eventId, properties: e.properties, ...(e.via && { via: e.via }) }))),
      receivedAt: new Date(receivedAt), ...arrival, seen: JSON.stringify(arrival.seen), personIds: [...new Set(events.map((e) => e.personId))], wakes,
    },
  );
  return rows.map((row) => row.id);
}

/** Makes sure that the months around now have a partition of their own. */
export async function makeEventMonths(sql: Sql, now: Instant): Promise<void> {
  await query(sql, `select make_event_months(cast(:now as date), 4)`, { now: new Date(now) });
}
