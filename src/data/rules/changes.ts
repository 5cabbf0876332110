import type { FactChange, FactKind, Value } from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

/**
 * Says what brings about the changes that follow in this transaction: "by Marla Quist", "import 12". The database itself
 * writes down each change of what is known of people, and wakes the runs that wait for it (migrations/005_ground.ts);
 * without a cause they come from events.
 */
export async function nameCause(sql: Sql, cause: string, hops: number | null = null): Promise<void> {
  await query(sql, `select set_config('viatic.cause', :cause, true), set_config('viatic.hops', :hops, true)`, {
    cause: cause.slice(0, 200),
    hops: String(hops ?? ''),
  });
}

/** Does work of this transaction of which nothing is to be written down: what moves or goes with somebody is no change of theirs. */
export async function withoutHistory<T>(sql: Sql, work: () => Promise<T>): Promise<T> {
  await query(sql, `select set_config('viatic.history', 'off', true)`);
  const done = await work();
  await query(sql, `select set_config('viatic.history', '', true)`);
  return done;
}

/** Notes people of whom more than single facts has changed: whether they are in segments is looked at anew. */
export async function lookAt(sql: Sql, personIds: readonly string[], now: Instant): Promise<void> {
  if (personIds.length)
    await query(sql, 'select look_at(array(select unnest(cast(:personIds as bigint[])) order by 1), cast(:now as timestamptz))', {
      personIds,
      now: new Date(now),
    });
}

/** Wakes everything that is under way of these people: whose their events are is not what it was. */
export async function wakePeople(sql: Sql, personIds: readonly string[], now: Instant): Promise<void> {
  if (!personIds.length) return;
  await query(
    sql,
    `update runs set wake_at = least(coalesce(wake_at, :now), :now), is_doubtful = true
     where person_id = any(cast(:personIds as bigint[])) and phase <> 'ended'`,
    { personIds, now: new Date(now) },
  );
  await lookAt(sql, personIds, now);
}

interface ChangeRow {
  person_id: string;
  at_ms: string;
  kind: FactKind;
  name: string;
  was: Value;
  is: Value;
  cause: string;
}

/** A change as it was written down, with what brought it about. */
export interface RecordedChange extends FactChange {
  readonly cause: string;
}

/** What has changed of people since a moment, ascending; of some attributes alone where they are named, or of all of them. */
export async function changesSince(
  sql: Sql,
  personIds: readonly string[],
  since: Instant,
  attributes: readonly string[] | 'all' | null = null,
): Promise<Map<string, RecordedChange[]>> {
  const named = attributes !== null && attributes !== 'all';
  const rows = await query<ChangeRow>(
    sql,
    `select person_id, (extract(epoch from at) * 1000)::bigint as at_ms, kind, name, was, "is", cause from fact_changes
     where person_id = any(cast(:personIds as bigint[])) and at > :since
       ${attributes ? `and kind = 'attribute'` : ''} ${named ? 'and name = any(cast(:attributes as text[]))' : ''} order by person_id, at, id`,
    { personIds, since: new Date(since), ...(named && { attributes }) },
  );
  const found = new Map<string, RecordedChange[]>();
  for (const { person_id: personId, at_ms: ms, ...rest } of rows) {
    const change = { ...rest, at: Number(ms) };
    const own = found.get(personId);
    if (own) own.push(change);
    else found.set(personId, [change]);
  }
  return found;
}
