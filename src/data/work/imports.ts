import { Readable } from 'node:stream';
import { query, queryOne, rowsOf, type Sql } from '../db';
import { eventKey } from '../sources';
import { addressSql } from '../rules';

/** What people `p` have done themselves: that we have put them into a segment is nothing of theirs. */
const OF_THEIRS = `select 1 from events e where e.person_id = p.id and not (e.source = 'viatic' and e.type in ('segment.joined', 'segment.left'))`;

const BAD_ROWS = rowsOf({ row: 'bigint', cells: 'jsonb', problems: 'jsonb' });
const NAMED = rowsOf({ row: 'bigint', person_id: 'bigint' });
const BEFORE = rowsOf({ person_id: 'bigint', was: 'jsonb', said: 'jsonb' });

/** A file that was sent up, kept in parts so that no process holds it whole. */
export interface UploadRow {
  id: string;
  key: string;
  name: string;
  size: string;
  at: Date;
  by: string;
}

export async function createUpload(sql: Sql, upload: { key: string; name: string; by: string; at: Date }): Promise<string> {
  return (await queryOne<{ id: string }>(
    sql,
    'insert into uploads (key, name, by, at) values (:key, :name, :by, :at) returning id',
    upload,
  ))!.id;
}

export async function addUploadPart(sql: Sql, uploadId: string, part: number, bytes: Buffer): Promise<void> {
  await query(sql, 'insert into upload_parts (upload_id, part, bytes) values (:uploadId, :part, :bytes)', { uploadId, part, bytes });
}

export async function finishUpload(sql: Sql, uploadId: string, size: number): Promise<void> {
  await query(sql, 'update uploads set size = :size where id = :uploadId', { uploadId, size });
}

export async function findUpload(sql: Sql, key: string): Promise<UploadRow | null> {
  return queryOne<UploadRow>(sql, 'select * from uploads where key = :key', { key });
}

export async function deleteUpload(sql: Sql, id: string): Promise<void> {
  await query(sql, 'delete from uploads where id = :id', { id });
}

/** The bytes of an upload, a part at a time. */
export function readUpload(sql: Sql, uploadId: string): Readable {
  async function* parts(): AsyncGenerator<Buffer> {
    for (let part = 0; ; part++) {
      const row = await queryOne<{ bytes: Buffer }>(sql, 'select bytes from upload_parts where upload_id = :uploadId and part = :part', {
        uploadId,
        part,
      });
      if (!row) return;
      yield row.bytes;
    }
  }
  return Readable.from(parts(), { objectMode: false });
}

export async function saveBadRows(
  sql: Sql,
  workId: string,
  rows: readonly { row: number; cells: readonly string[]; problems: readonly object[] }[],
): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `insert into bad_rows (work_id, row, cells, problems) select :workId, row, cells, problems from ${BAD_ROWS.sql} as r on conflict do nothing`,
    { workId, rows: BAD_ROWS.ofAnything(rows) },
  );
}

export interface BadRow {
  row: string;
  cells: string[];
  problems: { column: string; wrong: string; right: string }[];
}

export async function badRows(sql: Sql, workId: string, after: string, limit: number): Promise<BadRow[]> {
  return query<BadRow>(
    sql,
    'select row, cells, problems from bad_rows where work_id = :workId and row > :after order by row limit :limit',
    { workId, after, limit },
  );
}

export async function hasBadRows(sql: Sql, workId: string): Promise<boolean> {
  return (await query(sql, 'select 1 from bad_rows where work_id = :workId limit 1', { workId })).length > 0;
}

export async function clearBadRows(sql: Sql, workId: string): Promise<void> {
  await query(sql, 'delete from bad_rows where work_id = :workId', { workId });
}

const stage = (workId: string) => `import_stage_${workId}`;

/** Makes the table into which the rows of a people file are copied before anything of it counts. */
export async function makeStage(sql: Sql, workId: string): Promise<string> {
  await query(sql, `drop table if exists ${stage(workId)}`);
  await query(
    sql,
    `create unlogged table ${stage(workId)} (row bigint, external_id text, email text, phone text, attributes jsonb, stamps jsonb, tags text[],
      consents jsonb, consent_at timestamptz, how text, wording text, place text)`,
  );
  return stage(workId);
}

export const STAGE_COLUMNS = [
  'row',
  'external_id',
  'email',
  'phone',
  'attributes',
  'stamps',
  'tags',
  'consents',
  'consent_at',
  'how',
  'wording',
  'place',
] as const;

export async function dropStage(sql: Sql, workId: string): Promise<void> {
  await query(sql, `drop table if exists ${stage(workId)}`);
}

export interface Sorted {
  fresh: number;
  known: number;
  unclear: number;
  erased: number;
  said: number;
  tagged: number;
  phoned: number;
}

/**
 * Sorts staged rows: *fresh*, nobody on file has their identifiers; *known*, exactly one person has; *unclear*, more
 * than one has, another row has one too, or it is an office's mailbox or a shared one: those go through identity
 * one by one. Rows of people who were erased are set aside.
 */
export async function sortStage(sql: Sql, workId: string, officeMailboxes: readonly string[]): Promise<Sorted> {
  const name = stage(workId);
  await query(
    sql,
    `create table ${name}_sorted as
     with claims as materialized (
       select row, 'external' as kind, external_id as value from ${name} where external_id is not null
       union all select row, 'email', email from ${name} where email is not null
       union all select row, 'phone', phone from ${name} where phone is not null and external_id is null and email is null
     ), twice as (
       select kind, value from claims group by 1, 2 having count(*) > 1
     ), repeated as (select distinct row from claims join twice using (kind, value)),
     held as (select c.row, min(i.person_id) as one, max(i.person_id) as other from claims c join identifiers i using (kind, value) group by 1),
     shared as (select distinct c.row from claims c left join shared_identifiers s using (kind, value) where s.value is not null or (c.kind = 'email'
       and split_part(c.value, '@', 1) = any(cast(:officeMailboxes as text[])))),
     anonymous as (select distinct s.row from ${name} s join identifiers i on i.kind = 'phone' and i.value = s.phone
       join people p on p.id = i.person_id and not p.is_known),
     gone as (select row from ${name} s where s.email is not null and exists (select 1 from erased_addresses e
       where e.digest = encode(sha256(convert_to(s.email, 'UTF8')), 'hex')))
     select s.row,
       case when g.row is not null then 'erased' when r.row is not null or h.one <> h.other or x.row is not null or a.row is not null then 'unclear'
         when h.row is not null then 'known' else 'fresh' end as kind,
       case when h.row is not null then h.one when r.row is null and x.row is null and a.row is null and g.row is null
         then nextval(pg_get_serial_sequence('people', 'id')) end as person_id
     from ${name} s left join repeated r using (row) left join held h using (row) left join shared x using (row) left join anonymous a using (row)
       left join gone g using (row)`,
    { officeMailboxes },
  );
  // writing the verdicts beside the rows costs less than updating them in place
  await query(
    sql,
    `create unlogged table ${name}_new as select s.row, s.external_id, s.email, s.phone, s.attributes, s.stamps, s.tags, s.consents, s.consent_at,
      s.how, s.wording, s.place, v.kind, v.person_id from ${name} s join ${name}_sorted v using (row) order by s.row`,
  );
  await query(sql, `drop table ${name}, ${name}_sorted`);
  await query(sql, `alter table ${name}_new rename to ${name}`);
  // a table that was just filled is unknown to the planner, which then walks everybody for each of its rows
  await query(sql, `analyze ${name}`);
  return (await queryOne<Sorted>(
    sql,
    `select count(*) filter (where kind = 'fresh')::int as fresh, count(*) filter (where kind = 'known')::int as known,
      count(*) filter (where kind = 'unclear')::int as unclear, count(*) filter (where kind = 'erased')::int as erased,
       count(*) filter (where jsonb_array_length(consents) > 0)::int as said, count(*) filter (where cardinality(tags) > 0)::int as tagged,
         count(*) filter (where phone is not null)::int as phoned from ${name}`,
  ))!;
}

/** How many people of a file, once sorted, would have more attributes than so many. */
export async function wouldBeFull(sql: Sql, workId: string, most: number): Promise<number> {
  return (await queryOne<{ n: number }>(
    sql,
    `select count(*)::int as n from people p join ${stage(workId)} s on s.person_id = p.id where s.kind = 'known' and (select count(*)
      from jsonb_object_keys(p.attributes || s.attributes)) > :most`,
    { most },
  ))!.n;
}

/** Stores the people of rows that are fresh, with their identifiers. */
export async function storeFresh(sql: Sql, workId: string, now: Date): Promise<void> {
  const name = stage(workId);
  const b = { now, workId };
  await query(
    sql,
    `insert into people (id, external_id, external_at, is_known, attributes, stamped, created_at, seen_at, import_id)
     select person_id, external_id, case when external_id is not null then cast(:now as timestamptz) end, external_id is not null
       or email is not null, attributes, stamps, cast(:now as timestamptz), cast(:now as timestamptz), cast(:workId as bigint)
     from ${name} where kind = 'fresh'`,
    b,
  );
  await query(
    sql,
    `insert into identifiers (kind, value, person_id, first_at)
     select 'external', external_id, person_id, cast(:now as timestamptz) from ${name} where kind = 'fresh' and external_id is not null
     union all select 'email', email, person_id, cast(:now as timestamptz) from ${name} where kind = 'fresh' and email is not null
     union all select 'phone', phone, person_id, cast(:now as timestamptz) from ${name} where kind = 'fresh' and phone is not null
       and external_id is null and email is null
     order by 1, 2`,
    b,
  );
}

/** Phones of rows that are told apart by something stronger: whoever is first in the file has them, where nobody has. */
export async function storePhones(sql: Sql, workId: string, now: Date): Promise<void> {
  const name = stage(workId);
  await query(
    sql,
    `insert into weak_claims (identifier, claimed_by, person_id, first_at)
     select distinct on (1, 2) 'phone:' || phone, case when external_id is not null then 'external:' || external_id else 'email:' || email
       end, person_id, cast(:now as timestamptz)
     from ${name} where kind in ('fresh', 'known') and phone is not null and (external_id is not null or email is not null) order by 1, 2, row
     on conflict do nothing`,
    { now },
  );
  await query(
    sql,
    `insert into identifiers (kind, value, person_id, first_at)
     select distinct on (phone) 'phone', phone, person_id, cast(:now as timestamptz) from ${name}
     where kind in ('fresh', 'known') and phone is not null and (external_id is not null or email is not null)
     order by phone, case when external_id is not null then 'external:' || external_id else 'email:' || email end
     on conflict do nothing`,
    { now },
  );
}

/** Writes what the file says of people who are known, noting what was there before. Answers with how many changed. */
export async function updateKnown(sql: Sql, workId: string, now: Date, existing: 'replace' | 'fill'): Promise<number> {
  const name = stage(workId);
  const b = { now, workId };
  await query(
    sql,
    `select p.id from people p join ${name} s on s.person_id = p.id where s.kind = 'known' order by p.id for no key update of p`,
  );
  await query(
    sql,
    `insert into work_changes (work_id, person_id, was)
     select cast(:workId as bigint), p.id, jsonb_build_object('attributes', p.attributes, 'stamped', p.stamped, 'external_id', p.external_id, 'said',
       s.attributes) from people p join ${name} s on s.person_id = p.id where s.kind = 'known' on conflict do nothing`,
    b,
  );
  // what was said while the file was being read is newer than the file, and stays
  const rows = await query(
    sql,
    `update people p set
       attributes = case when cast(:existing as text) = 'fill' then s.attributes || p.attributes else p.attributes || (s.attributes - n.newer) end,
       stamped = case when cast(:existing as text) = 'fill' then s.stamps || p.stamped else p.stamped || (s.stamps - n.newer) end,
       external_id = coalesce(p.external_id, s.external_id), external_at = coalesce(p.external_at, case when s.external_id is not null
         then cast(:now as timestamptz) end)
     from ${name} s join people q on q.id = s.person_id
       cross join lateral (select array(select key from jsonb_each_text(q.stamped) where value::numeric > cast(:nowMs as numeric)) as newer) n
     where s.person_id = p.id and s.kind = 'known' and (case when cast(:existing as text) = 'fill' then s.attributes || p.attributes
       else p.attributes || (s.attributes - n.newer) end <> p.attributes or (p.external_id is null and s.external_id is not null)) returning p.id`,
    { ...b, existing, nowMs: now.getTime() },
  );
  await query(
    sql,
    `insert into identifiers (kind, value, person_id, first_at)
     select 'external', external_id, person_id, cast(:now as timestamptz) from ${name} where kind = 'known' and external_id is not null
     union all select 'email', email, person_id, cast(:now as timestamptz) from ${name} where kind = 'known' and email is not null on conflict do nothing`,
    b,
  );
  return rows.length;
}

/** Rows that are to go through identity one by one, in the order of the file. */
export async function unclearRows(
  sql: Sql,
  workId: string,
  after: string,
  limit: number,
): Promise<
  {
    row: string;
    external_id: string | null;
    email: string | null;
    phone: string | null;
    attributes: Record<string, never>;
    tags: string[];
    consents: { channel: string; state: string }[];
    consent_at: Date | null;
  }[]
> {
  return query(sql, `select * from ${stage(workId)} where kind = 'unclear' and row > :after order by row limit :limit`, { after, limit });
}

/** Notes whose the unclear rows turned out to be, so that consent, tags and lists follow for them as for the others. */
export async function nameUnclear(sql: Sql, workId: string, rows: readonly { row: string; personId: string }[]): Promise<void> {
  await query(sql, `update ${stage(workId)} s set person_id = r.person_id from ${NAMED.sql} as r where s.row = r.row`, {
    rows: NAMED.of(rows.map((one) => ({ row: one.row, person_id: one.personId }))),
  });
}

/** Notes what known people were before rows that go through identity change them: the first time what was, each time what was said. */
export async function noteBefore(
  sql: Sql,
  workId: string,
  rows: readonly { personId: string; was: object; said: object }[],
): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `insert into work_changes (work_id, person_id, was) select cast(:workId as bigint), person_id, was || jsonb_build_object('said', said)
      from ${BEFORE.sql} as r
     on conflict (work_id, person_id) do update set was = excluded.was || work_changes.was || jsonb_build_object('said',
       coalesce(work_changes.was->'said', '{}') || (excluded.was->'said'))`,
    { workId, rows: BEFORE.of(rows.map(({ personId, was, said }) => ({ person_id: personId, was, said }))) },
  );
}

/** Marks people as having come with an import. */
export async function setImport(sql: Sql, workId: string, personIds: readonly string[]): Promise<void> {
  if (personIds.length)
    await query(sql, 'update people set import_id = :workId where id = any(cast(:personIds as bigint[]))', { workId, personIds });
}

/** Stores what the file says on consent, where nothing later is on file, with a line in the log for each change. Answers with how many. */
export async function storeConsents(sql: Sql, workId: string, now: Date, how: string, actor: string): Promise<number> {
  const name = stage(workId);
  const row = await queryOne<{ count: number }>(
    sql,
    `with said as materialized (
       select distinct on (s.person_id, c.channel) s.person_id, c.channel, c.state, coalesce(s.consent_at, cast(:now as timestamptz)) as at,
         coalesce(s.how, cast(:how as text)) as how, s.wording, s.place
       from ${name} s cross join lateral jsonb_to_recordset(s.consents) as c(channel text, state text)
       where s.person_id is not null and s.kind <> 'erased' order by s.person_id, c.channel, coalesce(s.consent_at, cast(:now as timestamptz)) desc, s.row desc
     ), changed as materialized (
       select s.* from said s left join consents c on c.person_id = s.person_id and c.channel = s.channel
       where c.person_id is null or (c.state <> s.state and c.at < s.at)
     ), logged as (
       insert into consent_log (person_id, channel, state, at, how, wording, place, actor, address)
       select c.person_id, c.channel, c.state, c.at, c.how, c.wording, c.place, cast(:actor as text), (select ${addressSql('c.channel')} from people p
         where p.id = c.person_id)
       from changed c
     ), noted as (
       insert into work_changes (work_id, person_id, was)
       select cast(:workId as bigint), c.person_id, jsonb_build_object('consents', coalesce((select jsonb_agg(to_jsonb(o)) from consents o
         where o.person_id = c.person_id), '[]')) from (select distinct person_id from changed) c
       on conflict (work_id, person_id) do update set was = work_changes.was || excluded.was
     ), stored as (
       insert into consents (person_id, channel, state, at, how, wording, place, actor)
         select person_id, channel, state, at, how, wording, place, cast(:actor as text) from changed
       on conflict (person_id, channel) do update set state = excluded.state, at = excluded.at, how = excluded.how, wording = excluded.wording,
         place = excluded.place, actor = excluded.actor, box = null, country = null
     ) select count(*)::int as count from changed`,
    { workId, now, how, actor },
  );
  return row!.count;
}

/** Tags the people of the file, and puts them on a list. */
export async function storeGroups(
  sql: Sql,
  workId: string,
  now: Date,
  listId: number | null,
  how: string,
  by: string,
): Promise<{ tagged: number; listed: number }> {
  const name = stage(workId);
  const tagged = await query(
    sql,
    `insert into person_tags (person_id, tag, at, by) select distinct s.person_id, tag, cast(:now as timestamptz), cast(:by as text)
      from ${name} s, unnest(s.tags) as tag where s.person_id is not null and s.kind <> 'erased' on conflict do nothing returning 1`,
    { now, by: `${by} #${workId}` },
  );
  if (listId === null) return { tagged: tagged.length, listed: 0 };
  const listed = await query(
    sql,
    `with added as (insert into list_members (list_id, person_id, at, how)
      select distinct cast(:listId as int), s.person_id, cast(:now as timestamptz), cast(:how as text) from ${name} s
        where s.person_id is not null and s.kind <> 'erased' on conflict do nothing returning person_id),
     logged as (insert into list_log (list_id, person_id, at, act, how) select cast(:listId as int), person_id, cast(:now as timestamptz), 'joined',
       cast(:how as text) from added) select person_id from added`,
    { now, listId, how },
  );
  return { tagged: tagged.length, listed: listed.length };
}

/** The rows of the file that belong to people who were erased, by their numbers. */
export async function erasedRows(sql: Sql, workId: string): Promise<string[]> {
  return (await query<{ row: string }>(sql, `select row from ${stage(workId)} where kind = 'erased' order by row`)).map((one) => one.row);
}

/** Takes back a people import: who came with it and has done nothing since goes; the others get back what they had. */
export async function undoPeopleImport(
  sql: Sql,
  workId: string,
  now: Date,
  listHow: string,
  by: string,
): Promise<{ removed: number; restored: number }> {
  const b = { workId, now, listHow, tagBy: `import #${workId}`, by };
  await query(
    sql,
    `with gone as (delete from list_members m using (select person_id from work_changes where work_id = :workId union select id from people
      where import_id = :workId) w where m.person_id = w.person_id and m.how = :listHow returning list_id, m.person_id)
    insert into list_log (list_id, person_id, at, act, how) select list_id, person_id, cast(:now as timestamptz), 'left', 'import undone' from gone`,
    b,
  );
  await query(sql, `delete from person_tags where by = :tagBy`, b);
  await query(
    sql,
    `create temp table leaving on commit drop as
     select p.id from people p where p.import_id = :workId
       and not exists (${OF_THEIRS}) and not exists (select 1 from runs r
         where r.person_id = p.id) and not exists (select 1 from merges m where m.winner_id = p.id)`,
    b,
  );
  // consent: what stood before stands again, and the log says so; lines that were written stay
  await query(
    sql,
    `with touched as materialized (select w.person_id, w.was->'consents' as was from work_changes w
      where w.work_id = :workId and jsonb_exists(w.was, 'consents') and not exists (select 1 from leaving l where l.id = w.person_id)),
     changed as materialized (
       select t.person_id, c.channel, o.state as before from touched t join consents c on c.person_id = t.person_id
         left join lateral jsonb_to_recordset(t.was) as o(channel text, state text, at timestamptz) on o.channel = c.channel
       where o.state is distinct from c.state
     ), logged as (insert into consent_log (person_id, channel, state, at, how, actor)
       select person_id, channel, coalesce(before, 'withdrawn'), cast(:now as timestamptz), 'import undone', cast(:by as text) from changed)
     delete from consents c using touched t where c.person_id = t.person_id`,
    b,
  );
  await query(
    sql,
    `insert into consents select r.* from work_changes w, jsonb_populate_recordset(null::consents, w.was->'consents') r
      where w.work_id = :workId and jsonb_exists(w.was, 'consents') and exists (select 1 from people p
        where p.id = w.person_id) and not exists (select 1 from leaving l where l.id = w.person_id) on conflict do nothing`,
    b,
  );
  // an attribute goes back where the import's word is still the last
  const restored = await query(
    sql,
    `update people p set
       attributes = (p.attributes - v.names) || coalesce((select jsonb_object_agg(k, w.was->'attributes'->k) from unnest(v.names) k
         where jsonb_exists(w.was->'attributes', k)), '{}'),
       stamped = (p.stamped - v.names) || coalesce((select jsonb_object_agg(k, w.was->'stamped'->k) from unnest(v.names) k
         where jsonb_exists(w.was->'stamped', k)), '{}')
     from work_changes w cross join lateral (select array(select k from jsonb_object_keys(coalesce(w.was->'said', '{}')) k) as all_names) n
     cross join lateral (select array(select k from unnest(n.all_names) k, people q where q.id = w.person_id and q.attributes->k = w.was->'said'->k) as names) v
     where w.work_id = :workId and w.person_id = p.id and jsonb_exists(w.was, 'attributes') and cardinality(v.names) > 0 returning p.id`,
    b,
  );
  for (const table of [
    'consents',
    'consent_log',
    'weak_claims',
    'identifiers',
    'person_tags',
    'list_members',
    'list_log',
    'declined_topics',
    'events',
  ]) {
    await query(sql, `delete from ${table} where person_id in (select id from leaving)`);
  }
  const removed = await query(sql, `delete from people where id in (select id from leaving) returning id`);
  return { removed: removed.length, restored: restored.length };
}

/** Takes back the events of a file's source. Answers with whose they were: their orders are to be computed anew. */
export async function undoEvents(sql: Sql, sourceId: number): Promise<{ events: number; personIds: string[] }> {
  const rows = await query<{ person_id: string; source: string; event_id: string }>(
    sql,
    'delete from events where source_id = :sourceId returning person_id, source, event_id',
    { sourceId },
  );
  await query(sql, 'delete from event_keys where key = any(cast(:keys as uuid[]))', {
    keys: rows.map((row) => eventKey(row.source, row.event_id)),
  });
  return { events: rows.length, personIds: [...new Set(rows.map((row) => row.person_id))] };
}

/** Removes people of whom nothing is left once the events of a file are gone: no events, no consent, no list. */
export async function removeEmpty(sql: Sql, personIds: readonly string[]): Promise<number> {
  const leaving = (
    await query<{ id: string }>(
      sql,
      `select p.id from people p where p.id = any(cast(:personIds as bigint[])) and p.import_id is null
       and not exists (${OF_THEIRS}) and not exists (select 1 from consent_log c where c.person_id = p.id)
       and not exists (select 1 from list_members m where m.person_id = p.id) and not exists (select 1 from merges m
         where m.winner_id = p.id) and not exists (select 1 from runs r where r.person_id = p.id)`,
      { personIds },
    )
  ).map((row) => row.id);
  for (const table of [
    'events',
    'weak_claims',
    'identifiers',
    'person_tags',
    'standing',
    'orders',
    'bookings',
    'credits',
    'carts',
    'predictions',
  ])
    await query(sql, `delete from ${table} where person_id = any(cast(:leaving as bigint[]))`, { leaving });
  await query(sql, 'delete from people where id = any(cast(:leaving as bigint[]))', { leaving });
  return leaving.length;
}
