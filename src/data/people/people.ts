import type { Instant } from '@/core/time';
import { CHANNELS, type Channel, type Value } from '@/core/rules';
import { identifierKey, identifierOf, type ConsentDetail, type ConsentState, type Identifier, type Profile } from '@/core/people';
import { query, queryOne, queryPrepared, rowsOf, textList, type Sql } from '../db';
import { addressSql } from '../rules';

const CLAIMS = rowsOf({ identifier: 'text', claimed_by: 'text', person_id: 'bigint', first_at: 'moment' });
const SHARED = rowsOf({ kind: 'text', value: 'text' });
const IDENTIFIERS = rowsOf({ kind: 'text', value: 'text', person_id: 'bigint', first_at: 'moment' });
const AGED = rowsOf({ kind: 'text', value: 'text', first_at: 'moment' });
const CHANGES = rowsOf({
  id: 'bigint',
  external_id: 'text',
  external_at: 'moment',
  is_known: 'boolean',
  attributes: 'jsonb',
  stamped: 'jsonb',
  first_seen: 'moment',
  last_seen: 'moment',
});
const CONSENTS = rowsOf({
  person_id: 'bigint',
  channel: 'text',
  state: 'text',
  at: 'moment',
  how: 'text',
  place: 'text',
  wording: 'text',
  actor: 'text',
  box: 'text',
  country: 'text',
});

export type { Identifier };

export interface PersonRow {
  id: string;
  external_id: string | null;
  external_at: Date | null;
  email: string | null;
  attributes: Record<string, Value>;
  stamped: Record<string, Instant>;
  is_known: boolean;
  created_at: Date;
  seen_at: Date;
  paused_until: Date | null;
  erased_at: Date | null;
  /** the address that a visitor says is theirs, without proof */
  claims_email?: string | null;
}

/** Keys of identifiers as two parameters, for `unnest(:kinds, :values)`. */
function asColumns(keys: readonly string[]): { kinds: string; values: string } {
  const identifiers = keys.map(identifierOf);
  return { kinds: textList(identifiers.map((one) => one.kind)), values: textList(identifiers.map((one) => one.value)) };
}

export interface FoundIdentifier {
  readonly personId: string;
  readonly firstAt: Instant;
}

/** Finds whom identifiers belong to and since when; keys of the answer are `kind:value`. */
export async function findByIdentifiers(sql: Sql, keys: readonly string[]): Promise<Map<string, FoundIdentifier>> {
  if (!keys.length) return new Map();
  const rows = await query<{ kind: string; value: string; person_id: string; first_ms: string | null }>(
    sql,
    // one look into the index each, however many people there are by now and whatever the planner has heard of them
    `select w.kind, w.value, i.person_id, i.first_ms from unnest(cast(:kinds as text[]), cast(:values as text[])) as w(kind, value)
     cross join lateral (select person_id, case when first_at = '-infinity' then null else (extract(epoch from first_at) * 1000)::bigint
       end as first_ms from identifiers where kind = w.kind and value = w.value offset 0) i`,
    asColumns(keys),
  );
  return new Map(
    rows.map((row) => [
      `${row.kind}:${row.value}`,
      { personId: row.person_id, firstAt: row.first_ms === null ? -Infinity : Number(row.first_ms) },
    ]),
  );
}

export interface FoundClaim {
  readonly identifier: string;
  readonly claimedBy: string;
  readonly personId: string;
  readonly firstAt: Instant;
}

export async function saveWeakClaims(
  sql: Sql,
  rows: readonly { identifier: string; by: string; personId: string; firstAt: Instant }[],
): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `insert into weak_claims (identifier, claimed_by, person_id, first_at)
     select identifier, claimed_by, person_id, first_at from ${CLAIMS.sql} as r order by 1, 2
     on conflict (identifier, claimed_by) do update set first_at = least(weak_claims.first_at, excluded.first_at), person_id = excluded.person_id`,
    {
      rows: CLAIMS.of(
        rows.map((row) => ({ identifier: row.identifier, claimed_by: row.by, person_id: row.personId, first_at: new Date(row.firstAt) })),
      ),
    },
  );
}

export async function markShared(sql: Sql, identifiers: readonly Identifier[], why: string, by: string, at: Instant): Promise<void> {
  if (!identifiers.length) return;
  await query(
    sql,
    `insert into shared_identifiers (kind, value, why, at, by)
     select kind, value, :why, :at, :by from ${SHARED.sql} as r on conflict do nothing`,
    { rows: SHARED.of(identifiers), why, by, at: new Date(at) },
  );
}

export interface LockedPerson {
  readonly row: PersonRow;
  readonly consents: ReadonlyMap<Channel, ConsentState>;
}

/** Whose attribute (names of nested ones with dots) is one of some values, as {@link rowKeyOf} compares them: numbers of people by value, in order. */
export async function peopleWith(sql: Sql, attribute: string, values: readonly string[]): Promise<Map<string, string[]>> {
  const rows = await query<{ value: string; ids: string[] }>(
    sql,
    `select lower(btrim(attributes #>> string_to_array(:attribute, '.'))) as value, array_agg(id::text order by id) as ids
     from people where erased_at is null and lower(btrim(attributes #>> string_to_array(:attribute, '.'))) = any(cast(:values as text[]))
     group by 1`,
    { attribute, values },
  );
  return new Map(rows.map(({ value, ids }) => [value, ids]));
}

/** Locks people for this transaction, in order of id so that two transactions cannot wait for each other, and reads their consent where it may matter. */
export async function lockPeople(sql: Sql, ids: readonly string[], withConsents = true): Promise<Map<string, LockedPerson>> {
  if (!ids.length) return new Map();
  const rows = await query<PersonRow>(
    sql,
    `select p.id, p.external_id, p.external_at, p.email, p.attributes, p.stamped, p.is_known, p.created_at, p.seen_at, p.paused_until, p.erased_at
     from people p where p.id = any(cast(:ids as bigint[])) order by p.id for no key update of p`,
    { ids },
  );
  const consents = withConsents ? await consentsOf(sql, ids) : new Map<string, Map<Channel, ConsentState>>();
  return new Map(rows.map((row) => [row.id, { row, consents: consents.get(row.id) ?? new Map<Channel, ConsentState>() }]));
}

/** Locks people as {@link lockPeople} does, reading nothing of them; answers with the numbers of those who are still there. */
export const holdPeople = async (sql: Sql, ids: readonly string[]): Promise<string[]> =>
  (
    await query<{ id: string }>(sql, 'select id from people where id = any(cast(:ids as bigint[])) order by id for no key update', { ids })
  ).map(({ id }) => id);

/**
 * Consent of people who are locked. In a statement of its own: one that waits for a lock still sees the other tables as
 * they were before it waited.
 */
export async function consentsOf(sql: Sql, ids: readonly string[]): Promise<Map<string, Map<Channel, ConsentState>>> {
  const found = new Map<string, Map<Channel, ConsentState>>();
  if (!ids.length) return found;
  const rows = await query<{ person_id: string; channel: Channel; state: 'given' | 'withdrawn'; at: Date }>(
    sql,
    'select person_id, channel, state, at from consents where person_id = any(cast(:ids as bigint[]))',
    { ids },
  );
  for (const { person_id, channel, state, at } of rows) {
    let own = found.get(person_id);
    if (!own) found.set(person_id, (own = new Map()));
    own.set(channel, { state, at: at.getTime() });
  }
  return found;
}

/** A person who is locked, as identity looks at them. */
export interface LockedRecord {
  readonly id: string;
  readonly externalId: string | null;
  readonly externalAt: Instant | null;
  readonly isKnown: boolean;
  readonly profile: Profile;
  readonly createdAt: Instant;
  readonly seenAt: Instant;
}

/** Whom identifiers belong to, as it stands: with these people locked, and the keys of events that are new. */
export interface Standing {
  /** of the keys that were claimed, those that nobody had claimed before */
  readonly fresh: ReadonlySet<string>;
  /** by `kind:value` */
  readonly found: ReadonlyMap<string, FoundIdentifier>;
  readonly weak: readonly FoundClaim[];
  /** identifiers that several people share by decision: they join nobody */
  readonly shared: ReadonlySet<string>;
  readonly locked: readonly LockedRecord[];
  /** how many people were to be locked: more than were, when another transaction has just joined some of them */
  readonly wanted: number;
}

/**
 * Claims the keys of events, looks up whose identifiers these are, and locks those people and the ones named by id, in
 * order of id so that two transactions cannot wait for each other. One statement, since each round trip costs as much as
 * dozens of rows. With keys of which none is new nobody is locked. A key that another transaction claims at the same
 * moment raises a unique violation, upon which the caller starts over and finds it.
 */
export async function claimAndLook(
  sql: Sql,
  keys: readonly string[] | null,
  identifiers: readonly string[],
  personIds: readonly string[],
): Promise<Standing> {
  const weakKeys = identifiers.filter((key) => key.startsWith('phone:') || key.startsWith('device:'));
  // numbers as they are and no names of fields: PostgreSQL would spend more on them than on looking
  interface Answer {
    fresh: string[] | null;
    places: number[] | null;
    owners: number[] | null;
    since: (number | null)[] | null;
    weak: [identifier: string, claimedBy: string, personId: number, firstAt: number][] | null;
    shared: string[] | null;
    locked:
      | [
          id: number,
          externalId: string | null,
          externalAt: number | null,
          isKnown: boolean,
          attributes: Record<string, Value>,
          stamped: Record<string, Instant>,
          createdAt: number,
          seenAt: number,
        ][]
      | null;
    claimed: number;
    wanted: number;
  }
  const ms = (seconds: number): Instant => Math.round(seconds * 1000);
  const [row] = await queryPrepared<Answer>(
    sql,
    'claim_and_look',
    `with claimed as materialized (
       -- looked for first and then inserted plainly: "on conflict" costs three times as much for each key that is new
       insert into event_keys (key) select key from (select distinct key from unnest(cast(:keys as uuid[])) as key) k
       where (select true from event_keys known where known.key = k.key) is null order by key returning key
     ), asked as materialized (
       select * from unnest(cast(:kinds as text[]), cast(:values as text[])) with ordinality as w(kind, value, place)
     ), found as materialized (
       -- one look into the index each, however many people there are by now and whatever the planner has heard of them
       select w.place, i.person_id, i.first_at from asked w
       cross join lateral (select person_id, first_at from identifiers where kind = w.kind and value = w.value offset 0) i
     ), weak as materialized (
       select identifier, claimed_by, person_id, first_at from weak_claims where identifier = any(cast(:weakKeys as text[]))
     ), wanted as materialized (
       select person_id from found union select person_id from weak union select unnest(cast(:personIds as bigint[]))
     ), locked as materialized (
       select p.* from people p
       where p.id = any(array(select person_id from wanted)) and (cast(:isClaiming as boolean) is false or (select count(*) from claimed) > 0)
       order by p.id for no key update of p
     )
     select f.places, f.owners, f.since, c.claimed,
       -- mostly all keys are new, and need not be told one by one
       case when c.claimed < cardinality(cast(:keys as uuid[])) then (select json_agg(key) from claimed) end as fresh,
       (select json_agg(json_build_array(identifier, claimed_by, person_id, date_part('epoch', first_at))) from weak) as weak,
       (select json_agg(s.kind || ':' || s.value) from shared_identifiers s where (s.kind, s.value) in (select kind, value from asked
         where kind <> 'external')) as shared,
       (select json_agg(json_build_array(id, external_id, date_part('epoch', external_at), is_known, attributes, stamped, date_part('epoch',
         created_at), date_part('epoch', seen_at))) from locked) as locked,
       (select count(*)::int from wanted) as wanted
     from (select count(*)::int as claimed from claimed) c,
       (select json_agg(place) as places, json_agg(person_id) as owners, json_agg(case when first_at > '-infinity' then date_part('epoch', first_at)
         end) as since from found) f`,
    { keys: textList(keys ?? []), isClaiming: keys !== null, ...asColumns(identifiers), weakKeys: textList(weakKeys), personIds },
  );
  const { fresh, claimed, places, owners, since, weak, shared, locked, wanted } = row!;
  return {
    fresh: new Set(claimed === keys?.length ? keys : fresh),
    shared: new Set(shared),
    wanted,
    found: new Map(
      (places ?? []).map((place, at) => [
        identifiers[place - 1]!,
        { personId: String(owners![at]), firstAt: since![at] === null ? -Infinity : ms(since![at]!) },
      ]),
    ),
    weak: (weak ?? []).map(([identifier, claimedBy, personId, firstAt]) => ({
      identifier,
      claimedBy,
      personId: String(personId),
      firstAt: ms(firstAt),
    })),
    locked: (locked ?? []).map(([id, externalId, externalAt, isKnown, attributes, stamped, createdAt, seenAt]) => ({
      id: String(id),
      externalId,
      externalAt: externalAt === null ? null : ms(externalAt),
      isKnown,
      profile: { attributes, stamped },
      createdAt: ms(createdAt),
      seenAt: ms(seenAt),
    })),
  };
}

/** Reserves numbers for people who are about to be stored. */
export async function nextPersonIds(sql: Sql, count: number): Promise<string[]> {
  if (!count) return [];
  const rows = await query<{ id: string }>(
    sql,
    `select nextval(pg_get_serial_sequence('people', 'id')) as id from generate_series(1, :count)`,
    { count },
  );
  return rows.map((row) => row.id);
}

/** Gives identifiers to people. One that is taken already raises a unique violation, upon which the caller starts over. */
export async function addIdentifiers(sql: Sql, rows: readonly { key: string; personId: string; firstAt: Instant }[]): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `insert into identifiers (kind, value, person_id, first_at)
     select kind, value, person_id, first_at from ${IDENTIFIERS.sql} as r order by kind, value`,
    {
      rows: IDENTIFIERS.of(
        rows.map(({ key, personId, firstAt }) => ({ ...identifierOf(key), person_id: personId, first_at: new Date(firstAt) })),
      ),
    },
  );
}

/** Notes that identifiers were in use earlier than we knew. */
export async function ageIdentifiers(sql: Sql, rows: readonly { key: string; firstAt: Instant }[]): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `update identifiers i set first_at = r.first_at from ${AGED.sql} as r
     where i.kind = r.kind and i.value = r.value and i.first_at > r.first_at`,
    { rows: AGED.of(rows.map(({ key, firstAt }) => ({ ...identifierOf(key), first_at: new Date(firstAt) }))) },
  );
}

/** Gives an identifier to somebody else. */
export async function reassignIdentifier(sql: Sql, key: string, personId: string): Promise<void> {
  await query(sql, 'update identifiers set person_id = :personId where kind = :kind and value = :value', {
    ...identifierOf(key),
    personId,
  });
}

export interface PersonChange {
  readonly id: string;
  readonly isNew: boolean;
  readonly externalId: string | null;
  readonly externalAt: Instant | null;
  readonly isKnown: boolean;
  readonly profile: Profile;
  readonly firstSeen: Instant;
  readonly lastSeen: Instant;
}

/** Stores people who are new, and what was learned about those who are not. */
export async function savePeople(sql: Sql, changes: readonly PersonChange[]): Promise<void> {
  const rows = (list: readonly PersonChange[]) =>
    CHANGES.of(
      list.map((c) => ({
        id: c.id,
        external_id: c.externalId,
        external_at: c.externalAt === null || !Number.isFinite(c.externalAt) ? null : new Date(c.externalAt),
        is_known: c.isKnown,
        attributes: c.profile.attributes,
        stamped: c.profile.stamped,
        first_seen: new Date(c.firstSeen),
        last_seen: new Date(c.lastSeen),
      })),
    );
  const fresh = changes.filter((change) => change.isNew);
  const known = changes.filter((change) => !change.isNew);
  if (fresh.length) {
    await query(
      sql,
      `insert into people (id, external_id, external_at, is_known, attributes, stamped, created_at, seen_at)
       select id, external_id, external_at, is_known, attributes, stamped, first_seen, last_seen from ${CHANGES.sql} as r`,
      { rows: rows(fresh) },
    );
  }
  if (known.length) {
    await queryPrepared(
      sql,
      'change_people',
      `update people p set external_id = r.external_id, external_at = coalesce(r.external_at, p.external_at), is_known = r.is_known,
        attributes = r.attributes, stamped = r.stamped,
         created_at = least(p.created_at, r.first_seen), seen_at = greatest(p.seen_at, r.last_seen)
       from ${CHANGES.sql} as r where p.id = r.id`,
      { rows: rows(known) },
    );
  }
}

export interface ConsentRow extends ConsentDetail {
  readonly channel: Channel;
  readonly state: 'given' | 'withdrawn';
  readonly at: Instant;
}

/** A person's consent to each channel as it now stands, with what it rests on. */
export async function readConsents(sql: Sql, personId: string): Promise<ConsentRow[]> {
  const rows = await query<Omit<ConsentRow, 'at'> & { at: Date }>(
    sql,
    `select channel, state, at, how, place, wording, actor, box, country from consents where person_id = :personId`,
    { personId },
  );
  return rows.map((row) => ({ ...row, at: row.at.getTime() })).sort((a, b) => CHANNELS.indexOf(a.channel) - CHANNELS.indexOf(b.channel));
}

export interface ConsentChange {
  readonly personId: string;
  readonly channel: Channel;
  readonly state: ConsentState;
  readonly detail: ConsentDetail;
}

/** Stores consents as they now are, and adds a line for each to the log that is never edited. */
export async function saveConsents(sql: Sql, changes: readonly ConsentChange[]): Promise<void> {
  if (!changes.length) return;
  await query(
    sql,
    `with changed as (
       select * from ${CONSENTS.sql} as r
     ), logged as (
       insert into consent_log (person_id, channel, state, at, how, place, wording, actor, box, country, address)
       select c.person_id, c.channel, c.state, c.at, c.how, c.place, c.wording, c.actor, c.box, c.country,
         ${addressSql('c.channel')}
       from changed c join people p on p.id = c.person_id
     )
     insert into consents (person_id, channel, state, at, how, place, wording, actor, box, country)
       select person_id, channel, state, at, how, place, wording, actor, box, country from changed
     on conflict (person_id, channel) do update set state = excluded.state, at = excluded.at, how = excluded.how, place = excluded.place,
       wording = excluded.wording, actor = excluded.actor, box = excluded.box, country = excluded.country`,
    {
      rows: CONSENTS.of(
        changes.map((c) => ({ person_id: c.personId, channel: c.channel, state: c.state.state, at: new Date(c.state.at), ...c.detail })),
      ),
    },
  );
}

export interface ConsentLogRow extends ConsentDetail {
  readonly id: string;
  readonly channel: Channel;
  readonly state: string;
  readonly at: Date;
  readonly recorded_at: Date;
  readonly address: string | null;
}

/** All that was ever said on consent by one person, newest first. */
export async function consentLog(sql: Sql, personId: string): Promise<ConsentLogRow[]> {
  return query<ConsentLogRow>(
    sql,
    `select id, channel, state, at, recorded_at, how, place, wording, actor, box, country, address from consent_log where person_id = :personId
      order by at desc, id desc`,
    { personId },
  );
}

/** Asks for no marketing until a moment; null ends the pause. */
export async function setPause(sql: Sql, personId: string, until: Instant | null): Promise<void> {
  await query(sql, 'update people set paused_until = :until where id = :personId', {
    personId,
    until: until === null ? null : new Date(until),
  });
}

/** One person by their external id (any that they have), or by our own number; also under the number of one merged into them. */
/** What people are called by, by number: names, or an address where there is none. Who is not on file any more is left out. */
export async function calledBy(sql: Sql, ids: readonly string[]): Promise<Map<string, { readonly [name: string]: Value }>> {
  const rows = await query<{ id: string; attributes: { readonly [name: string]: Value } }>(
    sql,
    `select id, attributes from people where id in (select unnest(cast(:ids as bigint[])))`,
    { ids: [...ids] },
  );
  return new Map(rows.map(({ id, attributes }) => [String(id), attributes]));
}

/** Finds a person by the shop's id for them, or by our number: also by a number that merges have left behind. */
export async function findPerson(sql: Sql, by: { externalId: string } | { id: string }): Promise<PersonRow | null> {
  const columns =
    'p.id, p.external_id, p.external_at, p.email, p.attributes, p.stamped, p.is_known, p.created_at, p.seen_at, p.paused_until, p.erased_at, p.claims_email';
  if ('id' in by) {
    if (!/^\d{1,18}$/.test(by.id)) return null;
    const statement = `select ${columns} from people p where p.id = current_person(cast(:id as bigint)) and p.erased_at is null`;
    return queryOne<PersonRow>(sql, statement, { id: by.id });
  }
  return queryOne<PersonRow>(
    sql,
    `select ${columns} from identifiers i join people p on p.id = i.person_id where i.kind = 'external' and i.value = :externalId`,
    { externalId: by.externalId },
  );
}

/** All that a person is told from others by. */
export async function identifiersOf(sql: Sql, personId: string): Promise<(Identifier & { first_at: Date | null; is_shared: boolean })[]> {
  return query(
    sql,
    `select i.kind, i.value, case when i.first_at = '-infinity' then null else i.first_at end as first_at, s.value is not null as is_shared
     from identifiers i left join shared_identifiers s using (kind, value) where i.person_id = :personId order by i.first_at, i.kind, i.value`,
    { personId },
  );
}

/** Gives back by key what {@link findByIdentifiers} answers with: a convenience for single identifiers. */
export async function ownerOfIdentifier(sql: Sql, identifier: Identifier): Promise<string | null> {
  return (await findByIdentifiers(sql, [identifierKey(identifier)])).get(identifierKey(identifier))?.personId ?? null;
}

/** Notes the address that a visitor, of whom only a device is known, says is theirs: only where nobody has that address. */
export async function noteClaim(sql: Sql, device: string, email: string): Promise<void> {
  await query(
    sql,
    `update people p set claims_email = :email from identifiers i
     where i.kind = 'device' and i.value = :device and p.id = i.person_id and not p.is_known and p.claims_email is distinct from :email
       and not exists (select 1 from identifiers o where o.kind = 'email' and o.value = :email)`,
    { device, email },
  );
}

/** By what the shop knows people, by their number. */
export async function namesOfPeople(
  sql: Sql,
  ids: readonly string[],
): Promise<Map<string, { externalId: string | null; email: string | null }>> {
  const rows = await query<{ id: string; external_id: string | null; email: string | null }>(
    sql,
    'select id, external_id, email from people where id = any(cast(:ids as bigint[]))',
    { ids },
  );
  return new Map(rows.map(({ id, external_id: externalId, email }) => [id, { externalId, email }]));
}
