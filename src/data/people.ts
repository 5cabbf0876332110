import type { Instant } from '@/core/time';
import type { Value } from '@/core/rules';
import type { ConsentState, Profile } from '@/core/people';
import { asRows, query, queryOne, type Sql } from './db';

export interface Identifier {
  readonly kind: 'external' | 'email';
  readonly value: string;
}

export interface PersonRow {
  id: string;
  external_id: string | null;
  email: string | null;
  attributes: Record<string, Value>;
  stamped: Record<string, Instant>;
  created_at: Date;
  seen_at: Date;
}

/** Finds whom identifiers belong to; keys of the answer are `kind:value`. */
export async function findByIdentifiers(sql: Sql, identifiers: readonly Identifier[]): Promise<Map<string, string>> {
  if (!identifiers.length) return new Map();
  const rows = await query<{ kind: string; value: string; person_id: string }>(
    sql,
    `select i.kind, i.value, i.person_id from identifiers i
     join unnest(cast(:kinds as text[]), cast(:values as text[])) as wanted(kind, value) using (kind, value)`,
    { kinds: identifiers.map((i) => i.kind), values: identifiers.map((i) => i.value) },
  );
  return new Map(rows.map((row) => [`${row.kind}:${row.value}`, row.person_id]));
}

/** Locks people for this transaction, in order of id so that two transactions cannot wait for each other. */
export async function lockPeople(sql: Sql, ids: readonly string[]): Promise<Map<string, PersonRow>> {
  if (!ids.length) return new Map();
  const rows = await query<PersonRow>(
    sql,
    `select id, external_id, email, attributes, stamped, created_at, seen_at from people
     where id = any(cast(:ids as bigint[])) order by id for no key update`,
    { ids },
  );
  return new Map(rows.map((row) => [row.id, row]));
}

/** Creates people without identifiers and answers with their ids, in the order asked for. */
export async function createPeople(sql: Sql, count: number, at: Instant): Promise<string[]> {
  if (!count) return [];
  const rows = await query<{ id: string }>(
    sql,
    `insert into people (created_at, seen_at) select cast(:at as timestamptz), cast(:at as timestamptz) from generate_series(1, :count) returning id`,
    { at: new Date(at), count },
  );
  return rows.map((row) => row.id).sort((a, b) => Number(BigInt(a) - BigInt(b)));
}

/** Gives identifiers to people. One that is taken already raises a unique violation, upon which the caller starts over. */
export async function addIdentifiers(sql: Sql, rows: readonly (Identifier & { personId: string })[]): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `insert into identifiers (kind, value, person_id)
     select kind, value, person_id from json_to_recordset(cast(:rows as json)) as r(kind text, value text, person_id bigint) order by kind, value`,
    { rows: asRows(rows.map((row) => ({ kind: row.kind, value: row.value, person_id: row.personId }))) },
  );
}

export interface PersonChange {
  readonly id: string;
  readonly externalId: string | null;
  readonly profile: Profile;
  readonly firstSeen: Instant;
  readonly lastSeen: Instant;
}

/** Stores what was learned about people. */
export async function savePeople(sql: Sql, changes: readonly PersonChange[]): Promise<void> {
  if (!changes.length) return;
  await query(
    sql,
    `update people p set external_id = r.external_id, attributes = r.attributes, stamped = r.stamped,
       created_at = least(p.created_at, r.first_seen), seen_at = greatest(p.seen_at, r.last_seen)
     from json_to_recordset(cast(:rows as json)) as r(id bigint, external_id text, attributes jsonb, stamped jsonb, first_seen timestamptz, last_seen timestamptz)
     where p.id = r.id`,
    {
      rows: asRows(changes.map((c) => ({
        id: c.id, external_id: c.externalId, attributes: c.profile.attributes, stamped: c.profile.stamped,
        first_seen: new Date(c.firstSeen), last_seen: new Date(c.lastSeen),
      }))),
    },
  );
}

export async function readConsents(sql: Sql, personIds: readonly string[]): Promise<Map<string, ConsentState>> {
  if (!personIds.length) return new Map();
  const rows = await query<{ person_id: string; state: 'given' | 'withdrawn'; at: Date }>(
    sql,
    `select person_id, state, at from consents where channel = 'email' and person_id = any(cast(:personIds as bigint[]))`,
    { personIds },
  );
  return new Map(rows.map((row) => [row.person_id, { state: row.state, at: row.at.getTime() }]));
}

export interface ConsentChange {
  readonly personId: string;
  readonly state: ConsentState;
  readonly how: string;
  readonly wording: string | null;
}

/** Stores consents as they now are, and adds a line for each to the log that is never edited. */
export async function saveConsents(sql: Sql, changes: readonly ConsentChange[]): Promise<void> {
  if (!changes.length) return;
  await query(
    sql,
    `with changed as (
       select * from json_to_recordset(cast(:rows as json)) as r(person_id bigint, state text, at timestamptz, how text, wording text)
     ), logged as (
       insert into consent_log (person_id, channel, state, at, how, wording) select person_id, 'email', state, at, how, wording from changed
     )
     insert into consents (person_id, channel, state, at) select person_id, 'email', state, at from changed
     on conflict (person_id, channel) do update set state = excluded.state, at = excluded.at`,
    { rows: asRows(changes.map((c) => ({ person_id: c.personId, state: c.state.state, at: new Date(c.state.at), how: c.how, wording: c.wording }))) },
  );
}

/** Puts an address on the list of those never written to; the first reason stays. */
export async function suppress(sql: Sql, address: string, reason: string, at: Instant): Promise<void> {
  await query(
    sql,
    `insert into suppressions (channel, address, reason, at) values ('email', :address, :reason, :at) on conflict do nothing`,
    { address, reason, at: new Date(at) },
  );
}

/** Moves everything of one person to another: two that turned out to be one. The caller has locked both. */
export async function moveToPerson(sql: Sql, loserId: string, winnerId: string, at: Instant): Promise<void> {
  const ids = { loserId, winnerId, at: new Date(at) };
  // an order that both have stays once, and so does a silence that both are waiting out
  await query(sql, `delete from runs r where r.person_id = :loserId and r.phase = 'armed' and exists (
    select 1 from runs w where w.person_id = :winnerId and w.flow_id = r.flow_id and w.key = r.key and w.phase = 'armed')`, ids);
  await query(sql, `delete from orders o where o.person_id = :loserId and exists (select 1 from orders w where w.person_id = :winnerId and w.order_id = o.order_id)`, ids);
  for (const table of ['events', 'runs', 'traces', 'sends', 'orders', 'consent_log', 'identifiers']) {
    await query(sql, `update ${table} set person_id = :winnerId where person_id = :loserId`, ids);
  }
  await query(sql, `delete from credits where person_id = :loserId`, ids);
  await query(sql, `delete from consents where person_id = :loserId`, ids);
  await query(sql, `insert into merges (winner_id, loser_id, loser, at)
    select cast(:winnerId as bigint), id, jsonb_build_object('externalId', external_id, 'attributes', attributes), :at from people where id = :loserId`, ids);
  await query(sql, `delete from people where id = :loserId`, ids);
}

/** One person by their external id, or by our own number. */
export async function findPerson(sql: Sql, by: { externalId: string } | { id: string }): Promise<PersonRow | null> {
  if ('id' in by) return /^\d{1,18}$/.test(by.id) ? queryOne<PersonRow>(sql, 'select * from people where id = :id', { id: by.id }) : null;
  return queryOne<PersonRow>(
    sql,
    `select p.* from identifiers i join people p on p.id = i.person_id where i.kind = 'external' and i.value = :externalId`,
    { externalId: by.externalId },
  );
}
