import type { AttributeRecord, AttributeType } from '@/core/people';
import type { Value } from '@/core/rules';
import { cut } from '@/core/text';
import type { Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';

const UNKEPT = rowsOf({ name: 'text', events: 'bigint' });
const NAMES = rowsOf({ name: 'text', type: 'text' });

export interface AttributeRow {
  name: string;
  type: AttributeType;
  is_declared: boolean;
  about: string;
  goes_to: string | null;
  retired_at: Date | null;
}

export async function listAttributeRows(sql: Sql): Promise<AttributeRow[]> {
  return query<AttributeRow>(sql, 'select name, type, is_declared, about, goes_to, retired_at from attributes order by name');
}

export const toRecord = (row: AttributeRow): AttributeRecord => ({
  name: row.name,
  type: row.type,
  isDeclared: row.is_declared,
  goesTo: row.goes_to,
  isRetired: row.retired_at !== null,
});

export async function findAttribute(sql: Sql, name: string): Promise<AttributeRow | null> {
  return queryOne<AttributeRow>(sql, 'select name, type, is_declared, about, goes_to, retired_at from attributes where name = :name', {
    name,
  });
}

/** Declares an attribute, or changes what is on record about it. */
export async function saveAttribute(
  sql: Sql,
  row: { name: string; type: AttributeType; isDeclared: boolean; about?: string },
): Promise<void> {
  await query(
    sql,
    `insert into attributes (name, type, is_declared, about) values (:name, :type, :isDeclared, :about)
     on conflict (name) do update set type = excluded.type, is_declared = excluded.is_declared, about = excluded.about`,
    { about: '', ...row },
  );
}

/** Notes attributes that were met for the first time. */
export async function discoverAttributes(sql: Sql, rows: readonly { name: string; type: AttributeType }[]): Promise<void> {
  if (!rows.length) return;
  await query(sql, `insert into attributes (name, type) select name, type from ${NAMES.sql} as r order by name on conflict do nothing`, {
    rows: NAMES.of(rows),
  });
}

/** How many names that were not taken over are remembered. */
const MOST_UNKEPT = 200;

/** Remembers names under which something was said that did not become an attribute, and in how many events. */
export async function noteUnkept(sql: Sql, names: ReadonlyMap<string, number>, at: Instant): Promise<void> {
  const rows = [...names].slice(0, 50).map(([name, events]) => ({ name: cut(name, 80), events }));
  await query(
    sql,
    `insert into unkept_names (name, events, last_at) select name, sum(events), :at from ${UNKEPT.sql} as r
     where exists (select 1 from unkept_names u where u.name = r.name) or (select count(*) from unkept_names) < ${MOST_UNKEPT} group by name order by name
     on conflict (name) do update set events = unkept_names.events + excluded.events, last_at = excluded.last_at`,
    { rows: UNKEPT.ofAnything(rows), at: new Date(at) },
  );
}

export async function listUnkept(sql: Sql): Promise<{ name: string; events: number; lastAt: string }[]> {
  const rows = await query<{ name: string; events: string; last_at: Date }>(
    sql,
    'select name, events, last_at from unkept_names order by last_at desc, name',
  );
  return rows.map((row) => ({ name: row.name, events: Number(row.events), lastAt: row.last_at.toISOString() }));
}

/** How many people have each attribute, by the kind of its value. A scan of everybody. */
export async function attributeUse(sql: Sql): Promise<{ name: string; kind: string; people: number }[]> {
  return query(
    sql,
    `select a.key as name, jsonb_typeof(a.value) as kind, count(*)::int as people from people p, jsonb_each(p.attributes) a where p.erased_at is null
      group by 1, 2`,
  );
}

/** The values of one attribute by how often they occur. */
export async function attributeValues(sql: Sql, name: string, limit: number): Promise<{ value: string; count: number }[]> {
  return query(
    sql,
    `select p.attributes->>:name as value, count(*)::int as count from people p where jsonb_exists(p.attributes, :name) and p.erased_at is null
      and p.attributes->>:name is not null
     group by 1 order by 2 desc, 1 limit :limit`,
    { name, limit },
  );
}

/** Moves what is on file under one name to another. Where a person has both, the newer word wins. Answers with how many people. */
export async function renameInPeople(sql: Sql, from: string, to: string): Promise<number> {
  const rows = await query(
    sql,
    `update people p set
       attributes = (p.attributes - cast(:from as text)) || case when keeps_old then jsonb_build_object(cast(:to as text), p.attributes->:from) else '{}' end,
       stamped = (p.stamped - cast(:from as text)) || case when keeps_old then jsonb_build_object(cast(:to as text), p.stamped->:from) else '{}' end
     from (select id, not jsonb_exists(attributes, :to) or coalesce((stamped->>:from)::numeric, 0) > coalesce((stamped->>:to)::numeric,
       0) as keeps_old from people where jsonb_exists(attributes, :from)) o
     where p.id = o.id returning p.id`,
    { from, to },
  );
  return rows.length;
}

/** From now on what is said under one name goes to another. Names that went to the old one follow. */
export async function redirectAttribute(sql: Sql, from: string, to: string): Promise<void> {
  await query(sql, `update attributes set goes_to = :to where name = :from or goes_to = :from`, { from, to });
}

export async function retireAttribute(sql: Sql, name: string, isRetired: boolean): Promise<void> {
  await query(sql, 'update attributes set retired_at = case when :isRetired then now() end where name = :name', { name, isRetired });
}

/** Replaces spellings of an attribute's values on file. Answers with how many people were changed. */
export async function respell(sql: Sql, name: string, variants: readonly string[], keep: string): Promise<string[]> {
  const rows = await query<{ id: string }>(
    sql,
    `update people set attributes = jsonb_set(attributes, array[cast(:name as text)], to_jsonb(cast(:keep as text)))
      where attributes->>:name = any(cast(:variants as text[])) and attributes->>:name <> :keep returning id`,
    { name, variants, keep },
  );
  return rows.map((row) => row.id);
}

const WRITTEN = rowsOf({ person_id: 'bigint', attributes: 'jsonb' });

/** Changes attributes of people: what is null is taken away. It counts from a moment on, whatever was said before. */
export async function changeAttributes(
  sql: Sql,
  rows: readonly { readonly personId: string; readonly attributes: { readonly [name: string]: Value } }[],
  at: Instant,
): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `update people p set attributes = (p.attributes - array(select jsonb_object_keys(r.attributes)))
         || coalesce((select jsonb_object_agg(key, value) from jsonb_each(r.attributes) where value <> 'null'), '{}'),
       stamped = p.stamped || (select jsonb_object_agg(name, cast(:at as bigint)) from jsonb_object_keys(r.attributes) as name)
     from ${WRITTEN.sql} as r where p.id = r.person_id and p.erased_at is null and r.attributes <> '{}'`,
    { rows: WRITTEN.of(rows.map(({ personId, attributes }) => ({ person_id: personId, attributes }))), at },
  );
}
