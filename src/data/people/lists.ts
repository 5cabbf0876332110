import type { Email } from '@/core/messages';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export interface ListRow {
  id: number;
  key: string;
  name: string;
  about: string;
  double_opt_in: boolean;
  confirmation: Email | null;
  created_at: Date;
  created_by: string;
  archived_at: Date | null;
  people: number;
  waiting: number;
}

// a question that was not answered in time waits no more, by the clock of the store
const COUNTS = `(select count(*)::int from list_members m where m.list_id = l.id) as people,
  (select count(*)::int from confirmations c, store s where c.what = 'list' and c.about = l.key and c.confirmed_at is null
    and c.expires_at > now() + s.clock_offset_ms * interval '1 millisecond') as waiting`;

export async function readLists(sql: Sql): Promise<ListRow[]> {
  return query<ListRow>(sql, `select l.*, ${COUNTS} from lists l where l.archived_at is null order by lower(l.name)`);
}

export async function findList(sql: Sql, key: string): Promise<ListRow | null> {
  return queryOne<ListRow>(sql, `select l.*, ${COUNTS} from lists l where l.key = :key`, { key });
}

export async function createList(
  sql: Sql,
  list: { key: string; name: string; about: string; doubleOptIn: boolean; confirmation?: Email | null | undefined; by: string },
  at: Instant,
): Promise<void> {
  await query(
    sql,
    `insert into lists (key, name, about, double_opt_in, confirmation, created_at, created_by)
     values (:key, :name, :about, :doubleOptIn, :confirmation, :at, :by)`,
    { ...list, confirmation: list.confirmation ? JSON.stringify(list.confirmation) : null, at: new Date(at) },
  );
}

/** Changes a list; the letter that asks for the click stays where none is given. */
export async function changeList(
  sql: Sql,
  key: string,
  { confirmation, ...list }: { name: string; about: string; doubleOptIn: boolean; confirmation?: Email | null | undefined },
): Promise<void> {
  await query(
    sql,
    `update lists set name = :name, about = :about, double_opt_in = :doubleOptIn,
       confirmation = case when :isGiven then cast(:confirmation as jsonb) else confirmation end where key = :key`,
    { key, ...list, isGiven: confirmation !== undefined, confirmation: confirmation ? JSON.stringify(confirmation) : null },
  );
}

export async function archiveList(sql: Sql, key: string, at: Instant | null): Promise<void> {
  await query(sql, 'update lists set archived_at = :at where key = :key', { key, at: at === null ? null : new Date(at) });
}

/** Puts people on a list. Answers with those who were not on it. */
export async function addToList(sql: Sql, listId: number, personIds: readonly string[], how: string, at: Instant): Promise<string[]> {
  const rows = await query<{ person_id: string }>(
    sql,
    `with added as (
       insert into list_members (list_id, person_id, at, how) select :listId, id, :at, :how from people where id = any(cast(:personIds as bigint[]))
         on conflict do nothing returning person_id
     ), logged as (insert into list_log (list_id, person_id, at, act, how) select :listId, person_id, :at, 'joined', :how from added)
     select person_id from added`,
    { listId, personIds, how, at: new Date(at) },
  );
  return rows.map((row) => row.person_id);
}

export async function removeFromList(sql: Sql, listId: number, personIds: readonly string[], how: string, at: Instant): Promise<string[]> {
  const rows = await query<{ person_id: string }>(
    sql,
    `with removed as (
       delete from list_members where list_id = :listId and person_id = any(cast(:personIds as bigint[])) returning person_id
     ), logged as (insert into list_log (list_id, person_id, at, act, how) select :listId, person_id, :at, 'left', :how from removed)
     select person_id from removed`,
    { listId, personIds, how, at: new Date(at) },
  );
  return rows.map((row) => row.person_id);
}

export async function listsOf(sql: Sql, personId: string): Promise<{ key: string; name: string; at: Date; how: string }[]> {
  return query(
    sql,
    'select l.key, l.name, m.at, m.how from list_members m join lists l on l.id = m.list_id where m.person_id = :personId order by lower(l.name)',
    { personId },
  );
}

/** How a list has grown, by local day of [from, to]: who joined, who left, how many were on it at the end of the day. */
export async function listGrowth(
  sql: Sql,
  listId: number,
  from: Instant,
  to: Instant,
  zone: string,
): Promise<{ day: string; joined: number; left: number; people: number }[]> {
  return query(
    sql,
    `with days as (select generate_series((cast(:from as timestamptz) at time zone :zone)::date, (cast(:to as timestamptz) at time zone :zone)::date,
      interval '1 day')::date as day),
     moves as (select (at at time zone :zone)::date as day, count(*) filter (where act = 'joined')::int as joined,
       count(*) filter (where act = 'left')::int as gone from list_log where list_id = :listId group by 1),
     before as (select coalesce(sum(joined - gone), 0)::int as people from moves where day < (cast(:from as timestamptz) at time zone :zone)::date)
     select to_char(d.day, 'YYYY-MM-DD') as day, coalesce(m.joined, 0) as joined, coalesce(m.gone, 0) as "left",
       (select people from before) + coalesce(sum(m.joined - m.gone) over (order by d.day), 0)::int as people
     from days d left join moves m using (day) order by d.day`,
    { listId, from: new Date(from), to: new Date(to), zone },
  );
}
