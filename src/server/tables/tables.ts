import {
  lookupTableInput,
  lookupTableVersionInput,
  type FieldProblem,
  type TableItem,
  type TableRowsView,
  type TableView,
} from '@/core/api';
import { stepsOf } from '@/core/flows';
import { cellOf, columnName, columnOf, LONGEST_CELL, MOST_COLUMNS, MOST_ROWS, MOST_TABLES, rowKeyOf, tableKey } from '@/core/tables';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { documentsNow } from '@/data/flows';
import { changeWorld, readStore, recordAct } from '@/data/store';
import { archiveTable, findTable, listTables, storeTable, tableRows, tableVersions, useVersion, type TableRow } from '@/data/tables';
import { linesOf, notFound, Problem, problemsOf, wholeNumber } from '../http';

async function usesOf(sql: Sql): Promise<Map<string, { key: string; name: string }[]>> {
  const uses = new Map<string, { key: string; name: string }[]>();
  for (const { key, name, document } of await documentsNow(sql)) {
    const named = new Set(stepsOf(document).flatMap((step) => (step.kind === 'lookup' ? [step.table] : [])));
    for (const table of named) uses.set(table, [...(uses.get(table) ?? []), { key, name }]);
  }
  return uses;
}

const itemOf = (row: TableRow, uses: ReadonlyMap<string, { key: string; name: string }[]>): TableItem => ({
  key: row.key,
  name: row.name,
  version: row.version,
  keyColumn: row.key_column,
  columns: row.columns,
  rows: row.row_count,
  changedAt: row.at.toISOString(),
  changedBy: row.by,
  usedBy: uses.get(row.key) ?? [],
});

/** Tables in which flows look rows up, by name. */
export async function tables(db: Db): Promise<{ tables: TableItem[] }> {
  const uses = await usesOf(db);
  return { tables: (await listTables(db)).map((row) => itemOf(row, uses)) };
}

async function tableAt(sql: Sql, key: string): Promise<TableRow> {
  const row = await findTable(sql, key.slice(0, 60));
  if (!row) throw notFound(`table "${key.slice(0, 60)}"`);
  return row;
}

export async function tableView(db: Db, key: string): Promise<TableView> {
  const row = await tableAt(db, key);
  const versions = await tableVersions(db, row.id);
  return {
    ...itemOf(row, await usesOf(db)),
    isArchived: row.archived_at !== null,
    versions: versions.map(({ version, row_count, columns, at, by }) => ({ version, rows: row_count, columns, at: at.toISOString(), by })),
  };
}

/** Rows of a table, of the version that is looked into or of another that is kept. */
export async function rowsOfTable(db: Db, key: string, url: URL): Promise<TableRowsView> {
  const row = await tableAt(db, key);
  const asked = url.searchParams.get('version');
  const version = asked === null ? row.version : wholeNumber(url, 'version', { least: 1, most: 1e9, otherwise: row.version });
  if (!(await tableVersions(db, row.id)).some((one) => one.version === version)) throw notFound(`version ${version} of table "${row.key}"`);
  return tableRows(db, {
    id: row.id,
    version,
    words: url.searchParams.get('q')?.trim().slice(0, 200) || null,
    limit: wholeNumber(url, 'limit', { least: 1, most: 1000, otherwise: 100 }),
    offset: wholeNumber(url, 'offset', { least: 0, most: 1_000_000, otherwise: 0 }),
  });
}

interface Loaded {
  readonly columns: readonly string[];
  readonly keyColumn: string;
  readonly rows: readonly { readonly key: string; readonly data: { readonly [column: string]: string | number | boolean | null } }[];
}

/** Reads a table; where anything in it cannot be kept nothing is, and what is wrong is said with its line. */
function readTable(csv: string, keyHead: string): Loaded {
  const lines = linesOf(csv, [], { keepsCase: true });
  const heads = Object.keys(lines[0]!.record).filter((head) => head !== '');
  const refuse = (errors: FieldProblem[]) => new Problem(422, 'Not a table', 'Nothing was stored.', errors);
  const columns = heads.map(columnOf);
  const bad = heads.filter((_, index) => !columnName.safeParse(columns[index]).success);
  if (bad.length)
    throw refuse(
      bad.map((head) => ({ field: 'csv, line 1', wrong: `“${head.slice(0, 60)}” is no name`, right: 'a name with a letter in it' })),
    );
  const twice = columns.filter((one, index) => columns.indexOf(one) < index);
  if (twice.length)
    throw refuse([{ field: 'csv, line 1', wrong: `has the column ${twice[0]} twice`, right: 'another name for one of them' }]);
  if (columns.length > MOST_COLUMNS)
    throw refuse([{ field: 'csv, line 1', wrong: `has ${columns.length} columns`, right: `at most ${MOST_COLUMNS}` }]);
  const keyAt = heads.findIndex((head) => head.toLowerCase() === keyHead.toLowerCase() || columnOf(head) === keyHead);
  if (keyAt < 0)
    throw refuse([
      { field: 'keyColumn', wrong: `the table has no column “${keyHead.slice(0, 60)}”`, right: `one of ${heads.slice(0, 10).join(', ')}` },
    ]);
  if (lines.length > MOST_ROWS)
    throw refuse([{ field: 'csv', wrong: `has ${lines.length} rows`, right: `at most ${MOST_ROWS.toLocaleString('en-IE')}` }]);
  const problems: FieldProblem[] = [];
  const rows: { key: string; data: Record<string, string | number | boolean | null> }[] = [];
  const seen = new Map<string, number>();
  const say = (line: number, wrong: string, right: string) =>
    problems.length < 20 && problems.push({ field: `csv, line ${line}`, wrong, right });
  for (const { line, record } of lines) {
    const key = rowKeyOf(record[heads[keyAt]!]);
    const long = heads.find((head) => (record[head]?.length ?? 0) > LONGEST_CELL);
    if (key === null) say(line, `has no ${heads[keyAt]}, by which rows are looked up`, 'a value there, or no such line');
    else if (seen.has(key)) say(line, `has the same ${heads[keyAt]} as line ${seen.get(key)}`, 'one line for each');
    else if (long) say(line, `has more than ${LONGEST_CELL} characters under ${long}`, 'less');
    else {
      seen.set(key, line);
      rows.push({ key, data: Object.fromEntries(heads.map((head, index) => [columns[index]!, cellOf(record[head] ?? '')])) });
    }
  }
  if (problems.length) throw refuse(problems);
  return { columns, keyColumn: columns[keyAt]!, rows };
}

/** Loads a table, or another version of one: from now on flows look into that. */
export async function putTable(db: Db, key: string, body: unknown, by: string): Promise<TableView> {
  const asKey = tableKey.safeParse(key);
  if (!asKey.success) throw new Problem(400, 'Not a key', `The key of a table ${asKey.error.issues[0]!.message}.`);
  const parsed = lookupTableInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a table', 'Nothing was stored.', problemsOf(parsed.error));
  const { name, keyColumn, csv } = parsed.data;
  const loaded = readTable(csv, keyColumn);
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    if (!(await findTable(trx, asKey.data)) && (await listTables(trx)).length >= MOST_TABLES)
      throw new Problem(409, 'Too many tables', `There are ${MOST_TABLES} tables already; archive one that no flow needs.`);
    const version = await storeTable(
      trx,
      { key: asKey.data, name, keyColumn: loaded.keyColumn, columns: loaded.columns, by, at: now },
      loaded.rows,
    );
    await changeWorld(trx);
    await recordAct(trx, now, by, 'table.stored', { table: asKey.data, version, rows: loaded.rows.length });
  });
  return tableView(db, asKey.data);
}

/** Lets flows look into a version that was before. */
export async function restoreTable(db: Db, key: string, body: unknown, by: string): Promise<TableView> {
  const parsed = lookupTableVersionInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a version', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const row = await tableAt(trx, key);
    if (!(await useVersion(trx, row.id, parsed.data.version))) throw notFound(`version ${parsed.data.version} of table "${row.key}"`);
    await changeWorld(trx);
    await recordAct(trx, (await readStore(trx)).now, by, 'table.restored', { table: row.key, version: parsed.data.version });
  });
  return tableView(db, key);
}

/** Takes a table out of use, unless a flow looks into it. */
export async function removeTable(db: Db, key: string, by: string): Promise<void> {
  const uses = (await usesOf(db)).get(key) ?? [];
  if (uses.length)
    throw new Problem(
      409,
      'In use',
      `“${uses[0]!.name}”${uses.length > 1 ? ` and ${uses.length - 1} more` : ''} looks into it; take that step out first.`,
    );
  await inTransaction(db, async (trx) => {
    const row = await tableAt(trx, key);
    const { now } = await readStore(trx);
    await archiveTable(trx, row.id, now);
    await changeWorld(trx);
    await recordAct(trx, now, by, 'table.archived', { table: row.key });
  });
}
