import type { Rule, World } from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';
import { turnsToSql, withoutHistory, type Compiled } from '../rules';

/** The one lock of all segments: who looks at people shares it, who builds holds it alone. */
const SEGMENTS = 727_100;

export const shareSegments = (sql: Sql) => query(sql, `select pg_advisory_xact_lock_shared(${SEGMENTS})`);
export const holdSegments = (sql: Sql) => query(sql, `select pg_advisory_xact_lock(${SEGMENTS})`);

/** A moment in the order of transactions: all that began before it can be waited for. */
export async function transactionNow(sql: Sql): Promise<string> {
  return (await queryOne<{ xid: string }>(sql, 'select pg_current_xact_id()::text as xid'))!.xid;
}

/** Whether every transaction that could not see what was stored by then has ended. */
export async function hasEverybodySeen(sql: Sql, xid: string): Promise<boolean> {
  const row = await queryOne<{ seen: boolean }>(sql, 'select pg_snapshot_xmin(pg_current_snapshot()) > cast(:xid as xid8) as seen', {
    xid,
  });
  return row!.seen;
}

export interface Built {
  readonly size: number;
  readonly joined: number;
  readonly left: number;
}

/**
 * Makes the membership of a segment what its rule says of everybody at this moment, and notes from when on time alone
 * can change it, set by set. The first time nobody has joined: who matches was so already. Others see the membership of
 * before until the transaction ends.
 */
export async function buildMembership(
  sql: Sql,
  segment: { id: number; key: string; rule: Rule; revision: number; isFirst: boolean; wakesOn: readonly string[]; cause: string },
  chosen: Compiled,
  { now, zone, world }: { now: Instant; zone: string; world: World },
): Promise<Built> {
  const at = new Date(now);
  const { id } = segment;
  await query(sql, `create temp table segment_next (person_id bigint primary key) on commit drop`);
  await query(
    sql,
    `insert into segment_next select p.id from people p where p.erased_at is null and (${chosen.condition})`,
    chosen.bindings,
  );
  await query(sql, 'analyze segment_next');
  const cause = segment.isFirst ? 'first' : segment.cause;
  const change = async (): Promise<{ joined: number; left: number }> => {
    const left = await queryOne<{ count: number }>(
      sql,
      `with leaving as (
         delete from segment_members m where m.segment_id = :id and not exists (select 1 from segment_next n where n.person_id = m.person_id)
         returning m.person_id
       ), logged as (insert into segment_log (segment_id, person_id, at, act, cause) select :id, person_id, :at, 'left', :cause from leaving)
       select count(*)::int as count from leaving`,
      { id, at, cause },
    );
    const joined = await queryOne<{ count: number }>(
      sql,
      `with joining as (
         insert into segment_members (segment_id, person_id, since, cause) select :id, person_id, :at, :cause from segment_next
         on conflict do nothing returning person_id
       ), logged as (
         insert into segment_log (segment_id, person_id, at, act, cause) select :id, person_id, :at, 'joined', :cause from joining where :log
       ) select count(*)::int as count from joining`,
      { id, at, cause, log: !segment.isFirst },
    );
    return { joined: joined!.count, left: left!.count };
  };
  const changed = segment.isFirst ? await withoutHistory(sql, change) : await change();
  if (segment.isFirst) {
    await query(sql, 'update segments set first_size = :size, first_at = :at where id = :id', { id, size: changed.joined, at });
    // whoever waits to hear of it looks again
    await query(
      sql,
      `update runs r set wake_at = least(coalesce(r.wake_at, :at), :at) from segment_next n
       where r.person_id = n.person_id and r.phase <> 'ended' and r.wakes_on && array['segment/' || :key]`,
      { at, key: segment.key },
    );
  }
  const turns = turnsToSql(segment.rule, now, zone, world);
  if (turns)
    await query(
      sql,
      `insert into segment_looks (person_id, due_at, until_at) select person_id, min(at), min(at) from (${turns.condition}) turns group by 1 order by 1
       on conflict (person_id) do update set until_at = least(segment_looks.until_at, excluded.until_at),
         due_at = least(segment_looks.due_at, excluded.due_at)`,
      turns.bindings,
    );
  const size = await queryOne<{ size: number }>(sql, 'select count(*)::int as size from segment_members where segment_id = :id', { id });
  await query(
    sql,
    `update segments set rule = cast(:rule as jsonb), built_revision = :revision, built_at = :at, work_id = null,
       wakes_on = cast(:wakesOn as text[]) where id = :id`,
    { id, rule: JSON.stringify(segment.rule), revision: segment.revision, at, wakesOn: [...segment.wakesOn] },
  );
  await query(sql, 'drop table segment_next');
  return { size: size!.size, ...changed };
}

/** Takes back notes of people who have been looked at set by set: those that every transaction by then could see. */
export async function dropLooks(sql: Sql, now: Instant, before: string): Promise<void> {
  await query(
    sql,
    `with due as (select person_id, until_at from segment_looks where due_at <= :now and noted_in < cast(:before as xid8)),
     gone as (delete from segment_looks l using due where l.person_id = due.person_id and (l.until_at is null or l.until_at <= :now))
     update segment_looks l set due_at = l.until_at, signals = '{}' from due where l.person_id = due.person_id and l.until_at > :now`,
    { now: new Date(now), before },
  );
}
