import { query, queryOne, rowsOf, type Sql } from '../db';
import type { Compiled } from '../rules';

const WAS = rowsOf({ person_id: 'bigint', was: 'jsonb' });

/** Long work: an import, an export, a bulk act. */
export interface WorkRow {
  id: string;
  kind: string;
  name: string;
  state: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled' | 'undone';
  done: string;
  total: string | null;
  says: string;
  detail: Record<string, unknown>;
  result: Record<string, unknown>;
  by: string;
  asked_to_stop: boolean;
  created_at: Date;
  ended_at: Date | null;
}

export async function createWork(sql: Sql, work: { kind: string; name: string; detail: object; by: string; at: Date }): Promise<string> {
  const row = await queryOne<{ id: string }>(
    sql,
    `insert into works (kind, name, detail, by, created_at) values (:kind, :name, :detail, :by, :at) returning id`,
    { ...work, detail: JSON.stringify(work.detail) },
  );
  return row!.id;
}

export async function findWork(sql: Sql, id: string): Promise<WorkRow | null> {
  return /^\d{1,18}$/.test(id) ? queryOne<WorkRow>(sql, 'select * from works where id = :id', { id }) : null;
}

/** Takes work up when it has not ended; locked, so that two workers do not both. */
export async function lockWork(sql: Sql, id: string): Promise<WorkRow | null> {
  return queryOne<WorkRow>(sql, 'select * from works where id = :id for update', { id });
}

export async function listWorks(sql: Sql, kinds: readonly string[], limit: number): Promise<WorkRow[]> {
  return query<WorkRow>(sql, 'select * from works where kind = any(cast(:kinds as text[])) order by id desc limit :limit', {
    kinds,
    limit,
  });
}

/** Notes how far work has come. Answers whether somebody has asked it to stop. */
export async function noteProgress(
  sql: Sql,
  id: string,
  progress: { done?: number; total?: number | null; says?: string; state?: WorkRow['state'] },
): Promise<boolean> {
  const row = await queryOne<{ asked_to_stop: boolean }>(
    sql,
    `update works set done = coalesce(:done, done), total = coalesce(:total, total), says = coalesce(:says, says), state = coalesce(:state, state)
      where id = :id returning asked_to_stop`,
    { id, done: progress.done ?? null, total: progress.total ?? null, says: progress.says ?? null, state: progress.state ?? null },
  );
  return row?.asked_to_stop ?? false;
}

export async function endWork(sql: Sql, id: string, state: WorkRow['state'], says: string, at: Date, result: object = {}): Promise<void> {
  await query(
    sql,
    `update works set state = :state, says = :says, ended_at = :at, result = result || cast(:result as jsonb) where id = :id`,
    { id, state, says, at, result: JSON.stringify(result) },
  );
}

export async function saveWorkDetail(sql: Sql, id: string, detail: object): Promise<void> {
  await query(sql, `update works set detail = detail || cast(:detail as jsonb) where id = :id`, { id, detail: JSON.stringify(detail) });
}

/** Asks work that is under way to stop. Answers whether there was any. */
export async function askToStop(sql: Sql, id: string): Promise<boolean> {
  return (
    (await query(sql, `update works set asked_to_stop = true where id = :id and state in ('waiting', 'running') returning id`, { id }))
      .length > 0
  );
}

/** Writes down whom a bulk act is for, at the moment at which it was asked for. Answers with how many. */
export async function chooseInto(sql: Sql, workId: string, chosen: Compiled): Promise<number> {
  const rows = await queryOne<{ count: number }>(
    sql,
    `with chosen as (insert into work_changes (work_id, person_id, was) select :workId, p.id, '{}' from people p
      where p.erased_at is null and (${chosen.condition}) returning 1) select count(*)::int as count from chosen`,
    { ...chosen.bindings, workId },
  );
  return rows!.count;
}

/** The next people of a bulk act, in order of number. */
export async function nextChosen(sql: Sql, workId: string, after: string, limit: number): Promise<string[]> {
  return (
    await query<{ person_id: string }>(
      sql,
      'select person_id from work_changes where work_id = :workId and person_id > :after order by person_id limit :limit',
      { workId, after, limit },
    )
  ).map((row) => row.person_id);
}

/** Notes what people were before an act changed them. */
export async function noteWas(sql: Sql, workId: string, rows: readonly { personId: string; was: object }[]): Promise<void> {
  if (!rows.length) return;
  await query(sql, `update work_changes w set was = r.was from ${WAS.sql} as r where w.work_id = :workId and w.person_id = r.person_id`, {
    workId,
    rows: WAS.of(rows.map((row) => ({ person_id: row.personId, was: row.was }))),
  });
}

export async function changesOf(
  sql: Sql,
  workId: string,
  after: string,
  limit: number,
): Promise<{ person_id: string; was: Record<string, unknown> }[]> {
  return query(
    sql,
    'select person_id, was from work_changes where work_id = :workId and person_id > :after order by person_id limit :limit',
    { workId, after, limit },
  );
}

/** Tags people. Answers with those who did not have the tag. */
export async function addTag(sql: Sql, personIds: readonly string[], tag: string, by: string, at: Date): Promise<string[]> {
  return (
    await query<{ person_id: string }>(
      sql,
      `insert into person_tags (person_id, tag, at, by) select id, :tag, :at, :by from people where id = any(cast(:personIds as bigint[]))
        on conflict do nothing returning person_id`,
      { personIds, tag, by, at },
    )
  ).map((r) => r.person_id);
}

export async function removeTag(sql: Sql, personIds: readonly string[], tag: string): Promise<string[]> {
  return (
    await query<{ person_id: string }>(
      sql,
      `delete from person_tags where person_id = any(cast(:personIds as bigint[])) and tag = :tag returning person_id`,
      { personIds, tag },
    )
  ).map((r) => r.person_id);
}

export async function tagsOf(sql: Sql, personId: string): Promise<string[]> {
  return (await query<{ tag: string }>(sql, 'select tag from person_tags where person_id = :personId order by tag', { personId })).map(
    (r) => r.tag,
  );
}

export async function allTags(sql: Sql): Promise<{ tag: string; people: number }[]> {
  return query(sql, 'select tag, count(*)::int as people from person_tags group by 1 order by 2 desc, 1');
}
