import type { Instant } from '@/core/time';
import type { Happening, Value } from '@/core/rules';
import { withoutHistory } from '../rules';
import { query, queryOne, rowsOf, type Sql } from '../db';

const IDENTIFIERS = rowsOf({ kind: 'text', value: 'text' });
const CLAIMS = rowsOf({ identifier: 'text', claimed_by: 'text' });

/** Tables whose rows carry a number and a person's: what a merge moves and its undoing moves back. */
const NUMBERED = ['events', 'runs', 'sends', 'consent_log', 'letters', 'asks', 'codes'] as const;

/** The rows that were moved, by table, and what stood beside them. */
export interface Moved {
  readonly numbers: { readonly [table in (typeof NUMBERED)[number]]?: readonly number[] };
  readonly orders: readonly string[];
  readonly identifiers: readonly { kind: string; value: string; first_at: string }[];
  readonly claims: readonly { identifier: string; claimed_by: string }[];
  readonly consents: readonly Record<string, Value>[];
  readonly tags: readonly Record<string, Value>[];
  readonly lists: readonly Record<string, Value>[];
  readonly topics: readonly Record<string, Value>[];
  /** the last line of the consent log at that moment */
  readonly lastWord: number;
}

/** The record of a person as it stood, to bring it back. */
export interface PersonRecord {
  readonly external_id: string | null;
  readonly external_at: string | null;
  readonly is_known: boolean;
  readonly attributes: Record<string, Value>;
  readonly stamped: Record<string, Instant>;
  readonly created_at: string;
  readonly seen_at: string;
  readonly paused_until: string | null;
  readonly consents: readonly Record<string, Value>[];
}

const RECORD = `select jsonb_build_object('external_id', external_id, 'external_at', external_at, 'is_known', is_known, 'attributes', attributes,
  'stamped', stamped,
  'created_at', created_at, 'seen_at', seen_at, 'paused_until', paused_until, 'consents', coalesce((select jsonb_agg(to_jsonb(c)) from consents c
    where c.person_id = p.id), '[]')) from people p where p.id =`;

/**
 * Moves everything of one person to another: two that turned out to be one. The caller has locked both. What was
 * moved is written down, so that it can be undone; for somebody who was only a device or a phone it is not.
 */
export async function moveToPerson(
  sql: Sql,
  loserId: string,
  winnerId: string,
  merge: { at: Instant; by: string; because: string; isRecorded: boolean },
): Promise<void> {
  const ids = { loserId, winnerId, at: new Date(merge.at), by: merge.by, because: merge.because };
  // an order that both have stays once, and so does a silence that both are waiting out: until the earlier of the two moments
  await query(
    sql,
    `with double as (
      delete from runs r using runs w where r.person_id = :loserId and r.phase = 'armed' and w.person_id = :winnerId and w.flow_id = r.flow_id
        and w.key = r.key and w.trigger = r.trigger and w.phase = 'armed'
      returning w.id, r.wake_at
    ) update runs w set wake_at = least(w.wake_at, d.wake_at) from double d where w.person_id = :winnerId and w.id = d.id`,
    ids,
  );
  if (merge.isRecorded) {
    const numbers = NUMBERED.map((table) => `'${table}', (select jsonb_agg(id) from ${table} where person_id = :loserId)`).join(', ');
    await query(
      sql,
      `insert into merges (winner_id, loser_id, at, by, because, loser, winner, moved)
       select cast(:winnerId as bigint), cast(:loserId as bigint), :at, :by, :because, (${RECORD} :loserId), (${RECORD} :winnerId), jsonb_build_object(
         'numbers', jsonb_strip_nulls(jsonb_build_object(${numbers})),
         'orders', coalesce((select jsonb_agg(order_id) from orders where person_id = :loserId), '[]'),
         'identifiers', coalesce((select jsonb_agg(jsonb_build_object('kind', kind, 'value', value, 'first_at', first_at)) from identifiers
           where person_id = :loserId), '[]'),
         'claims', coalesce((select jsonb_agg(jsonb_build_object('identifier', identifier, 'claimed_by', claimed_by)) from weak_claims
           where person_id = :loserId), '[]'),
         'consents', coalesce((select jsonb_agg(to_jsonb(c)) from consents c where person_id = :loserId), '[]'),
         'tags', coalesce((select jsonb_agg(to_jsonb(t)) from person_tags t where person_id = :loserId), '[]'),
         'lists', coalesce((select jsonb_agg(to_jsonb(m)) from list_members m where person_id = :loserId), '[]'),
         'topics', coalesce((select jsonb_agg(to_jsonb(d)) from declined_topics d where person_id = :loserId), '[]'),
         'lastWord', coalesce((select max(id) from consent_log), 0))`,
      ids,
    );
  }
  await query(
    sql,
    `delete from orders o where o.person_id = :loserId and exists (select 1 from orders w where w.person_id = :winnerId and w.order_id = o.order_id)`,
    ids,
  );
  for (const table of [...NUMBERED, 'traces', 'orders', 'identifiers', 'weak_claims', 'list_log']) {
    await query(sql, `update ${table} set person_id = :winnerId where person_id = :loserId`, ids);
  }
  await query(
    sql,
    `insert into person_tags select cast(:winnerId as bigint), tag, at, by from person_tags where person_id = :loserId on conflict do nothing`,
    ids,
  );
  await query(
    sql,
    `insert into list_members select list_id, cast(:winnerId as bigint), at, how from list_members where person_id = :loserId on conflict do nothing`,
    ids,
  );
  await query(
    sql,
    `insert into declined_topics select cast(:winnerId as bigint), topic, at from declined_topics where person_id = :loserId on conflict do nothing`,
    ids,
  );
  // what went over to the other is no change of the one who is gone
  await withoutHistory(sql, async () => {
    for (const table of [
      'credits',
      'bookings',
      'carts',
      'predictions',
      'consents',
      'standing',
      'person_tags',
      'list_members',
      'declined_topics',
      'work_changes',
    ])
      await query(sql, `delete from ${table} where person_id = :loserId`, ids);
  });
  await query(
    sql,
    `update people w set paused_until = greatest(w.paused_until, l.paused_until) from people l where w.id = :winnerId and l.id = :loserId`,
    ids,
  );
  await query(sql, `delete from people where id = :loserId`, ids);
  await query(
    sql,
    `insert into person_successors (person_id, successor_id) values (:loserId, :winnerId)
     on conflict (person_id) do update set successor_id = excluded.successor_id`,
    ids,
  );
}

/** What came by a phone or a device alone goes to whom that turned out to belong to. Answers with those of the events that happened since a moment. */
export async function handOver(sql: Sql, weak: string, from: string, to: string, since: Instant): Promise<Happening[]> {
  const rows = await query<{ type: string; time_ms: string; properties: Happening['properties'] }>(
    sql,
    `with moved as (
       update events set person_id = :to where person_id = :from and (via = :weak
         -- what was paid back of an order goes with it, however it was reported
         or (type in ('order.cancelled', 'order.refunded') and properties ->> 'orderId' in (select o.properties ->> 'orderId' from events o
           where o.person_id = :from and o.via = :weak and o.type = 'order.placed')))
       returning type, time, properties)
     select type, (extract(epoch from time) * 1000)::bigint as time_ms, properties from moved where time >= :since`,
    { weak, from, to, since: new Date(since) },
  );
  return rows.map(({ type, time_ms: ms, properties }) => ({ type, time: Number(ms), properties }));
}

export interface MergeRow {
  id: string;
  winner_id: string;
  loser_id: string;
  at: Date;
  by: string;
  because: string;
  loser: PersonRecord;
  winner: PersonRecord;
  moved: Moved;
  undone_at: Date | null;
  undone_by: string | null;
}

/** A merge with all that is needed to undo it, locked. */
export async function lockMerge(sql: Sql, id: string): Promise<MergeRow | null> {
  return queryOne<MergeRow>(sql, 'select * from merges where id = :id for update', { id });
}

export interface MergeListRow {
  id: string;
  winner_id: string;
  loser_id: string;
  at: Date;
  by: string;
  because: string;
  loser: PersonRecord;
  undone_at: Date | null;
  undone_by: string | null;
  winner_email: string | null;
  winner_name: string | null;
}

/** Merges, newest first: all of them, or those of one person. */
export async function listMerges(sql: Sql, personId: string | null, limit: number, before: string | null): Promise<MergeListRow[]> {
  return query<MergeListRow>(
    sql,
    `select m.id, m.winner_id, m.loser_id, m.at, m.by, m.because, m.loser, m.undone_at, m.undone_by, p.email as winner_email,
       nullif(trim(coalesce(p.attributes->>'firstName', '') || ' ' || coalesce(p.attributes->>'lastName', '')), '') as winner_name
     from merges m left join people p on p.id = m.winner_id
     where (cast(:personId as bigint) is null or m.winner_id = any(person_ids(cast(:personId as bigint)))) and (cast(:before as bigint) is null
       or m.id < cast(:before as bigint))
     order by m.id desc limit :limit`,
    { personId, limit, before },
  );
}

/**
 * Brings the loser of a merge back, with their own number and all that was moved, as far as it is still with the winner.
 * Orders and credits of both are to be settled anew.
 */
export async function restoreLoser(sql: Sql, merge: MergeRow): Promise<void> {
  const ids = { loserId: merge.loser_id, winnerId: merge.winner_id };
  const { loser, moved } = merge;
  await query(sql, 'delete from person_successors where person_id = :loserId', ids);
  await query(
    sql,
    `insert into people (id, external_id, external_at, is_known, attributes, stamped, created_at, seen_at, paused_until)
     values (:loserId, null, cast(:external_at as timestamptz), :is_known, :attributes, :stamped, :created_at, :seen_at, cast(:paused_until as timestamptz))`,
    {
      ...ids,
      external_at: loser.external_at,
      is_known: loser.is_known,
      attributes: JSON.stringify(loser.attributes),
      stamped: JSON.stringify(loser.stamped),
      created_at: loser.created_at,
      seen_at: loser.seen_at,
      paused_until: loser.paused_until,
    },
  );
  for (const table of NUMBERED) {
    const numbers = moved.numbers[table];
    if (numbers?.length)
      await query(sql, `update ${table} set person_id = :loserId where person_id = :winnerId and id = any(cast(:numbers as bigint[]))`, {
        ...ids,
        numbers,
      });
  }
  await query(
    sql,
    `update traces t set person_id = :loserId from runs r where r.person_id = :loserId and r.id = t.run_id and t.person_id = :winnerId`,
    ids,
  );
  const rows = IDENTIFIERS.of(moved.identifiers);
  await query(
    sql,
    `update identifiers i set person_id = :loserId from ${IDENTIFIERS.sql} as r where i.kind = r.kind and i.value = r.value and i.person_id = :winnerId`,
    { ...ids, rows },
  );
  await query(
    sql,
    `update weak_claims c set person_id = :loserId from ${CLAIMS.sql} as r where c.identifier = r.identifier and c.claimed_by = r.claimed_by
      and c.person_id = :winnerId`,
    { ...ids, rows: CLAIMS.of(moved.claims) },
  );
  for (const [table, list] of [
    ['consents', moved.consents],
    ['person_tags', moved.tags],
    ['list_members', moved.lists],
    ['declined_topics', moved.topics],
  ] as const) {
    if (list.length)
      await query(
        sql,
        `insert into ${table} select * from jsonb_populate_recordset(null::${table}, cast(:rows as jsonb)) on conflict do nothing`,
        { rows: JSON.stringify(list) },
      );
  }
}

/** Writes a person's record as it should be after a merge was undone. */
export async function writeRecord(
  sql: Sql,
  personId: string,
  record: {
    externalId: string | null;
    externalAt: string | null;
    attributes: Record<string, Value>;
    stamped: Record<string, Instant>;
    createdAt: string;
  },
): Promise<void> {
  await query(
    sql,
    `update people set external_id = :externalId, external_at = cast(:externalAt as timestamptz), attributes = :attributes, stamped = :stamped,
      created_at = :createdAt where id = :personId`,
    { personId, ...record, attributes: JSON.stringify(record.attributes), stamped: JSON.stringify(record.stamped) },
  );
}

/** Puts a winner's consents back to what they were, where nobody has said anything since the merge. */
export async function restoreConsents(
  sql: Sql,
  personId: string,
  consents: readonly Record<string, Value>[],
  lastWord: number,
): Promise<void> {
  await query(
    sql,
    `delete from consents c where c.person_id = :personId and not exists (select 1 from consent_log l
      where l.person_id = :personId and l.channel = c.channel and l.id > :lastWord and l.how not like 'two people became one%')`,
    { personId, lastWord },
  );
  if (consents.length)
    await query(
      sql,
      `insert into consents select * from jsonb_populate_recordset(null::consents, cast(:rows as jsonb)) on conflict do nothing`,
      { rows: JSON.stringify(consents) },
    );
}

export async function noteUndone(sql: Sql, id: string, by: string, at: Instant): Promise<void> {
  await query(sql, 'update merges set undone_at = :at, undone_by = :by where id = :id', { id, by, at: new Date(at) });
}

/** Tags, lists and declined topics that a winner has only through the merge are taken from them again. */
export async function dropInherited(sql: Sql, winnerId: string, moved: Moved): Promise<void> {
  for (const [table, column, list] of [
    ['person_tags', 'tag', moved.tags],
    ['list_members', 'list_id', moved.lists],
    ['declined_topics', 'topic', moved.topics],
  ] as const) {
    const keys = list.map((row) => String(row[column]));
    if (!keys.length) continue;
    await query(
      sql,
      `delete from ${table} w using ${table} l where w.person_id = :winnerId and l.${column} = w.${column} and l.at = w.at
        and l.person_id <> w.person_id and w.${column}::text = any(cast(:keys as text[]))`,
      { winnerId, keys },
    );
  }
}
