import type { Tables, Table } from '@/core/tables';
import type { Value } from '@/core/rules';
import type { Instant } from '@/core/time';
import { databaseOf, query, queryOne, rowsOf, type Sql } from '../db';

const ROWS = rowsOf({ place: 'int', key: 'text', data: 'jsonb' });

/** How many versions of a table are kept. */
const KEPT = 10;

export interface TableRow {
  readonly id: number;
  readonly key: string;
  readonly name: string;
  readonly version: number;
  readonly archived_at: Date | null;
  readonly key_column: string;
  readonly columns: string[];
  readonly row_count: number;
  readonly at: Date;
  readonly by: string;
}

const TABLE = `select t.id, t.key, t.name, t.version, t.archived_at, v.key_column, v.columns, v.row_count, v.at, v.by
  from lookup_tables t join lookup_versions v on v.table_id = t.id and v.version = t.version`;

/** Tables that are not archived, by name. */
export const listTables = (sql: Sql): Promise<TableRow[]> =>
  query<TableRow>(sql, `${TABLE} where t.archived_at is null order by lower(t.name), t.key`);

export const findTable = (sql: Sql, key: string): Promise<TableRow | null> =>
  queryOne<TableRow>(sql, `${TABLE} where t.key = :key`, { key });

export interface VersionRow {
  readonly version: number;
  readonly key_column: string;
  readonly columns: string[];
  readonly row_count: number;
  readonly at: Date;
  readonly by: string;
}

/** The versions of a table that are kept, the newest first. */
export const tableVersions = (sql: Sql, id: number): Promise<VersionRow[]> =>
  query<VersionRow>(
    sql,
    'select version, key_column, columns, row_count, at, by from lookup_versions where table_id = :id order by version desc',
    { id },
  );

/** Rows of a version of a table as they were loaded, with how many there are; of those alone that hold the words, where any are given. */
export async function tableRows(
  sql: Sql,
  { id, version, words, limit, offset }: { id: number; version: number; words: string | null; limit: number; offset: number },
): Promise<{ total: number; rows: { [column: string]: Value }[] }> {
  const where = `where table_id = :id and version = :version and (cast(:words as text) is null or key ilike :like or data::text ilike :like)`;
  const like = `%${(words ?? '').replace(/[\\%_]/g, '\\$&')}%`;
  const bindings = { id, version, words, like };
  const count = await queryOne<{ total: number }>(sql, `select count(*)::int as total from lookup_rows ${where}`, bindings);
  const rows = await query<{ data: { [column: string]: Value } }>(
    sql,
    `select data from lookup_rows ${where} order by place limit :limit offset :offset`,
    { ...bindings, limit, offset },
  );
  return { total: count!.total, rows: rows.map(({ data }) => data) };
}

/** Stores another version of a table, which is the one that is looked into from now on; the oldest beyond ten go. Answers with its number. */
export async function storeTable(
  sql: Sql,
  table: { key: string; name: string; keyColumn: string; columns: readonly string[]; by: string; at: Instant },
  rows: readonly { readonly key: string; readonly data: { readonly [column: string]: Value } }[],
): Promise<number> {
  const kept = (await queryOne<{ id: number; newest: number }>(
    sql,
    `insert into lookup_tables (key, name, version) values (:key, :name, 1)
     on conflict (key) do update set name = excluded.name, archived_at = null
     returning id, coalesce((select max(version) from lookup_versions where table_id = lookup_tables.id), 0) as newest`,
    { key: table.key, name: table.name },
  ))!;
  const version = kept.newest + 1;
  await query(
    sql,
    `insert into lookup_versions (table_id, version, key_column, columns, row_count, at, by)
     values (:id, :version, :keyColumn, :columns, :count, :at, :by)`,
    { id: kept.id, version, keyColumn: table.keyColumn, columns: table.columns, count: rows.length, at: new Date(table.at), by: table.by },
  );
  for (let from = 0; from < rows.length; from += 2000)
    await query(
      sql,
      `insert into lookup_rows (table_id, version, place, key, data) select :id, :version, place, key, data from ${ROWS.sql} as r`,
      {
        id: kept.id,
        version,
        rows: ROWS.ofAnything(rows.slice(from, from + 2000).map(({ key, data }, index) => ({ place: from + index, key, data }))),
      },
    );
  await query(sql, 'update lookup_tables set version = :version where id = :id', { id: kept.id, version });
  await query(sql, 'delete from lookup_versions where table_id = :id and version <= :oldest', { id: kept.id, oldest: version - KEPT });
  return version;
}

/** Makes a version that is kept the one that is looked into. Answers whether there is such. */
export async function useVersion(sql: Sql, id: number, version: number): Promise<boolean> {
  const rows = await query(
    sql,
    `update lookup_tables t set version = :version, archived_at = null where id = :id
       and exists (select 1 from lookup_versions v where v.table_id = t.id and v.version = :version) returning 1`,
    { id, version },
  );
  return rows.length > 0;
}

export async function archiveTable(sql: Sql, id: number, at: Instant | null): Promise<void> {
  await query(sql, 'update lookup_tables set archived_at = :at where id = :id', { id, at: at === null ? null : new Date(at) });
}

/** Rows by table and version, as they were read: a version never changes. */
const read = new Map<string, Table['rows']>();
const MOST_READ = 100;
const known = new Map<string, Tables>();
const MOST_KNOWN = 8;

/** All tables with their rows, in the state of the world that has this number. */
export async function tablesOf(sql: Sql, number: string): Promise<Tables> {
  let tables = known.get(number);
  if (!tables) {
    const found = new Map<string, Table>();
    for (const { id, key, name, version } of await listTables(sql)) {
      const which = `${databaseOf(sql)} ${id} ${version}`;
      let rows = read.get(which);
      if (!rows) {
        const kept = await query<{ key: string; data: { [column: string]: Value } }>(
          sql,
          'select key, data from lookup_rows where table_id = :id and version = :version',
          { id, version },
        );
        rows = new Map(kept.map((row) => [row.key, row.data]));
        if (read.size >= MOST_READ) read.delete(read.keys().next().value!);
        read.set(which, rows);
      }
      found.set(key, { name, rows });
    }
    tables = found;
    if (known.size >= MOST_KNOWN) known.delete(known.keys().next().value!);
    known.set(number, tables);
  }
  return tables;
}
