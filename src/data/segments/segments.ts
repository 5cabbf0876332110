import { CHANNELS, type Channel, type Rule, type Value } from '@/core/rules';
import type { SegmentDocument } from '@/core/segments';
import type { Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';
import { ruleToSql } from '../rules';

export interface SegmentRow {
  id: number;
  key: string;
  document: SegmentDocument;
  revision: number;
  /** the rule by which membership is kept; null until it is first built */
  rule: Rule | null;
  built_revision: number | null;
  built_at: Date | null;
  wakes_on: string[];
  work_id: string | null;
  created_at: Date;
  created_by: string;
  changed_at: Date;
  archived_at: Date | null;
}

/** All segments that are not archived, by name. */
export async function readSegments(sql: Sql): Promise<SegmentRow[]> {
  return query<SegmentRow>(sql, `select * from segments where archived_at is null order by lower(document ->> 'name'), id`);
}

export async function findSegment(sql: Sql, key: string): Promise<SegmentRow | null> {
  return queryOne<SegmentRow>(sql, 'select * from segments where key = :key', { key });
}

/** Stores a segment under its key; with another rule than before it has another revision. */
export async function saveSegment(
  sql: Sql,
  segment: { key: string; document: SegmentDocument; wakesOn: readonly string[]; by: string; at: Instant },
): Promise<void> {
  await query(
    sql,
    `insert into segments (key, document, wakes_on, created_at, created_by, changed_at)
     values (:key, cast(:document as jsonb), cast(:wakesOn as text[]), :at, :by, :at)
     on conflict (key) do update set document = excluded.document, changed_at = excluded.changed_at, archived_at = null,
       wakes_on = array(select distinct unnest(segments.wakes_on || excluded.wakes_on)),
       revision = segments.revision + (case when segments.document -> 'rule' = excluded.document -> 'rule'
         and segments.archived_at is null then 0 else 1 end)`,
    { ...segment, document: JSON.stringify(segment.document), wakesOn: [...segment.wakesOn], at: new Date(segment.at) },
  );
  await keepSignals(sql);
}

/** Makes a segment one that is still to be built: what its rule looks up is not as it was. */
export const touchSegment = (sql: Sql, id: number): Promise<unknown> =>
  query(sql, 'update segments set revision = revision + 1 where id = :id', { id });

/** Puts a segment away: nobody is kept in it any more. */
export async function archiveSegment(sql: Sql, id: number, at: Instant): Promise<void> {
  await query(
    sql,
    `update segments set archived_at = :at, rule = null, built_revision = null, built_at = null, wakes_on = '{}' where id = :id`,
    { id, at: new Date(at) },
  );
  await query(sql, 'delete from segment_members where segment_id = :id', { id });
  await query(sql, 'delete from segment_log where segment_id = :id', { id });
  await keepSignals(sql);
}

export async function noteWork(sql: Sql, id: number, workId: string | null): Promise<void> {
  await query(sql, 'update segments set work_id = :workId where id = :id', { id, workId });
}

/** Brings the set of all signals that some segment waits for up to date. */
async function keepSignals(sql: Sql): Promise<void> {
  await query(
    sql,
    `with wanted as (select distinct unnest(wakes_on) as signal from segments where archived_at is null),
     gone as (delete from segment_signals s where not exists (select 1 from wanted w where w.signal = s.signal))
     insert into segment_signals select signal from wanted on conflict do nothing`,
  );
}

/** How many are in each segment, by its number. */
export async function sizesOf(sql: Sql, ids: readonly number[]): Promise<Map<number, number>> {
  const rows = await query<{ id: number; size: number }>(
    sql,
    `select segment_id as id, count(*)::int as size from segment_members where segment_id = any(cast(:ids as int[])) group by 1`,
    { ids },
  );
  return new Map(rows.map(({ id, size }) => [id, size]));
}

/** Who joined and left segments since a moment, counted. */
export async function movesSince(sql: Sql, ids: readonly number[], since: Instant): Promise<Map<number, { joined: number; left: number }>> {
  const rows = await query<{ id: number; joined: number; left: number }>(
    sql,
    `select segment_id as id, count(*) filter (where act = 'joined')::int as joined, count(*) filter (where act = 'left')::int as "left"
     from segment_log where segment_id = any(cast(:ids as int[])) and at > :since group by 1`,
    { ids, since: new Date(since) },
  );
  return new Map(rows.map(({ id, ...counts }) => [id, counts]));
}

export interface MemberRow {
  id: string;
  external_id: string | null;
  email: string | null;
  attributes: Record<string, Value>;
  since: Date;
  cause: string;
}

/** The people of a segment, who joined last first. */
export async function membersOf(sql: Sql, id: number, limit: number, offset: number): Promise<MemberRow[]> {
  return query<MemberRow>(
    sql,
    `select p.id, p.external_id, p.email, p.attributes, m.since, m.cause from segment_members m join people p on p.id = m.person_id
     where m.segment_id = :id order by m.since desc, m.person_id limit :limit offset :offset`,
    { id, limit, offset },
  );
}

export interface MoveRow {
  person_id: string;
  external_id: string | null;
  email: string | null;
  attributes: Record<string, Value> | null;
  at: Date;
  act: 'joined' | 'left';
  cause: string;
}

/** Who joined and left lately, latest first. */
export async function movesOf(sql: Sql, id: number, limit: number): Promise<MoveRow[]> {
  return query<MoveRow>(
    sql,
    `select l.person_id, p.external_id, p.email, p.attributes, l.at, l.act, l.cause
     from segment_log l left join people p on p.id = l.person_id where l.segment_id = :id order by l.at desc, l.id desc limit :limit`,
    { id, limit },
  );
}

/** By local day of [from, to], as far back as the segment goes: how many were in it at its end, who joined and who left. */
export async function segmentDays(
  sql: Sql,
  id: number,
  from: Instant,
  to: Instant,
  zone: string,
): Promise<{ day: string; size: number; joined: number; left: number }[]> {
  return query(
    sql,
    `with first as (select first_size, (first_at at time zone :zone)::date as first_day from segments where id = :id),
     days as (select generate_series(greatest((cast(:from as timestamptz) at time zone :zone)::date, first.first_day),
       (cast(:to as timestamptz) at time zone :zone)::date, interval '1 day')::date as day from first),
     moves as (select (at at time zone :zone)::date as day, count(*) filter (where act = 'joined')::int as joined,
       count(*) filter (where act = 'left')::int as gone from segment_log where segment_id = :id group by 1),
     before as (select coalesce(sum(joined - gone), 0)::int as people from moves where day < (select min(day) from days))
     select to_char(d.day, 'YYYY-MM-DD') as day, coalesce(m.joined, 0) as joined, coalesce(m.gone, 0) as "left",
       first.first_size + before.people + coalesce(sum(m.joined - m.gone) over (order by d.day), 0)::int as size
     from days d cross join first cross join before left join moves m using (day) order by d.day`,
    { id, from: new Date(from), to: new Date(to), zone },
  );
}

/** Of the people of some segments, how many any two have in common. */
export async function overlapsOf(sql: Sql, ids: readonly number[]): Promise<{ a: number; b: number; people: number }[]> {
  return query(
    sql,
    `select a.segment_id as a, b.segment_id as b, count(*)::int as people
     from segment_members a join segment_members b on b.person_id = a.person_id and b.segment_id >= a.segment_id
     where a.segment_id = any(cast(:ids as int[])) and b.segment_id = any(cast(:ids as int[])) group by 1, 2`,
    { ids },
  );
}

const MOVES = rowsOf({ segment_id: 'int', person_id: 'bigint', cause: 'text' });
const UNTILS = rowsOf({ person_id: 'bigint', until_at: 'moment' });

/** Somebody who joins or leaves a segment. */
export interface Move {
  readonly segmentId: number;
  readonly personId: string;
  readonly cause: string;
}
const moveRows = (moves: readonly Move[]) =>
  MOVES.of(moves.map(({ segmentId, personId, cause }) => ({ segment_id: segmentId, person_id: personId, cause })));

export async function joinSegments(sql: Sql, moves: readonly Move[], at: Instant): Promise<void> {
  if (!moves.length) return;
  await query(
    sql,
    `with joined as (
       insert into segment_members (segment_id, person_id, since, cause) select segment_id, person_id, :at, cause from ${MOVES.sql} as r
       on conflict do nothing returning segment_id, person_id, cause
     ) insert into segment_log (segment_id, person_id, at, act, cause) select segment_id, person_id, :at, 'joined', cause from joined`,
    { rows: moveRows(moves), at: new Date(at) },
  );
}

export async function leaveSegments(sql: Sql, moves: readonly Move[], at: Instant): Promise<void> {
  if (!moves.length) return;
  await query(
    sql,
    `with leaving as (
       delete from segment_members m using ${MOVES.sql} as r where m.segment_id = r.segment_id and m.person_id = r.person_id
       returning m.segment_id, m.person_id, r.cause
     ) insert into segment_log (segment_id, person_id, at, act, cause) select segment_id, person_id, :at, 'left', cause from leaving`,
    { rows: moveRows(moves), at: new Date(at) },
  );
}

/** A person who is to be looked at: because of these signals ("*" is everything), and because a moment has come. */
export interface LookRow {
  person_id: string;
  is_erased: boolean;
  signals: string[];
  until_ms: string | null;
}

/**
 * Claims people who are to be looked at, most overdue first, with the lock on each; who is in other hands is passed over.
 */
export async function claimLooks(sql: Sql, now: Instant, limit: number): Promise<LookRow[]> {
  return query<LookRow>(
    sql,
    `with mine as materialized (
       select p.id, p.erased_at is not null as is_erased from segment_looks l join people p on p.id = l.person_id where l.due_at <= :now
       order by l.due_at limit :limit for no key update of p skip locked
     )
     select l.person_id, m.is_erased, l.signals, (extract(epoch from l.until_at) * 1000)::bigint as until_ms
     from mine m join segment_looks l on l.person_id = m.id for update of l`,
    { now: new Date(now), limit },
  );
}

/** Notes that people were looked at, and until when nothing changes by time alone. */
export async function lookedAt(sql: Sql, looks: readonly { personId: string; until: Instant | null }[]): Promise<void> {
  const rows = UNTILS.of(looks.map(({ personId, until }) => ({ person_id: personId, until_at: until })));
  await query(
    sql,
    `with r as (select * from ${UNTILS.sql} as r),
     done as (delete from segment_looks l using r where l.person_id = r.person_id and r.until_at is null)
     update segment_looks l set due_at = r.until_at, until_at = r.until_at, signals = '{}' from r
     where l.person_id = r.person_id and r.until_at is not null`,
    { rows },
  );
}

/** How many are due to be looked at, counted no further than `most`. */
export async function looksDue(sql: Sql, now: Instant, most: number): Promise<number> {
  const row = await queryOne<{ due: number }>(
    sql,
    'select count(*)::int as due from (select 1 from segment_looks where due_at <= :now limit :most) due',
    { now: new Date(now), most },
  );
  return row!.due;
}

/** People of a segment in order of number, after one of them. */
export async function memberIds(sql: Sql, id: number, after: string, limit: number): Promise<string[]> {
  return (
    await query<{ person_id: string }>(
      sql,
      'select person_id from segment_members where segment_id = :id and person_id > :after order by person_id limit :limit',
      { id, after, limit },
    )
  ).map((row) => row.person_id);
}

/** How many of a segment marketing may go out to, by channel. */
export async function reachableIn(sql: Sql, id: number, now: Instant): Promise<{ [channel in Channel]: number }> {
  const conditions = CHANNELS.map((channel) =>
    ruleToSql({ test: 'consent', channel, reachable: true }, now, 'UTC', { prefix: `${channel}_` }),
  );
  const row = await queryOne<{ [channel in Channel]: number }>(
    sql,
    `select ${CHANNELS.map((channel, place) => `count(*) filter (where ${conditions[place]!.condition})::int as ${channel}`).join(', ')}
     from segment_members m join people p on p.id = m.person_id where m.segment_id = :id`,
    { id, ...Object.assign({}, ...conditions.map(({ bindings }) => bindings)) },
  );
  return row!;
}

export interface WorthRow {
  people: number;
  buyers: number;
  orders: number;
  minor: number;
}

/** Orders and what they come to in the store's currency: of the people of a segment, and of everybody. */
export async function worthOf(sql: Sql, id: number): Promise<{ people: WorthRow; everybody: WorthRow }> {
  const sums = `count(*)::int as people, count(s.person_id) filter (where s.orders > 0)::int as buyers, coalesce(sum(s.orders), 0)::int as orders,
    coalesce(sum(s.net_minor), 0)::bigint as minor`;
  const number = (row: WorthRow | null): WorthRow => ({ ...row!, minor: Number(row!.minor) });
  const [people, everybody] = [
    await queryOne<WorthRow>(
      sql,
      `select ${sums} from segment_members m left join standing s on s.person_id = m.person_id where m.segment_id = :id`,
      { id },
    ),
    await queryOne<WorthRow>(sql, `select ${sums} from people p left join standing s on s.person_id = p.id where p.erased_at is null`),
  ];
  return { people: number(people), everybody: number(everybody) };
}

/** What the orders of somebody come to who is the last of the tenth that bought most, in minor units; null without buyers. */
export async function topTenth(sql: Sql): Promise<number | null> {
  const row = await queryOne<{ minor: string | null }>(
    sql,
    `select percentile_disc(0.9) within group (order by net_minor)::bigint as minor from standing where orders > 0`,
  );
  return row?.minor ? Number(row.minor) : null;
}

/** The segments that somebody is in, by name. */
export async function segmentsOf(sql: Sql, personId: string): Promise<{ key: string; name: string; since: Date; cause: string }[]> {
  return query(
    sql,
    `select s.key, s.document ->> 'name' as name, m.since, m.cause from segment_members m join segments s on s.id = m.segment_id
     where m.person_id = :personId order by lower(s.document ->> 'name')`,
    { personId },
  );
}

/** Leaves somebody alone for a while whose look has broken; what was noted of them stays. */
export async function setLookAside(sql: Sql, personId: string, until: Instant): Promise<void> {
  await query(sql, 'update segment_looks set due_at = :until where person_id = :personId', { personId, until: new Date(until) });
}
