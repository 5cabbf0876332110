import { createInterface } from 'node:readline';
import { Readable } from 'node:stream';
import { csvCell } from '@/core/imports';
import { copyOut, databaseOf, MOST_STREAMS, TooManyStreams, type Db } from '@/data/db';
import { exportColumns, EXPORTS, exportStatement, MOST_COLUMNS, wideStatement, type ExportKind } from '@/data/work';
import { readStore } from '@/data/store';
import { Problem } from '../http';
import { filterOf } from '../people';

/** For how long a download may rest without being read on. */
const IDLE_MS = 60_000;

/** A file of rows with its first line. Lines end as COPY ends them, the first like all others. */
async function* asCsv(names: readonly string[], isWide: boolean, rows: Readable): AsyncGenerator<Buffer | string> {
  yield `${names.map(csvCell).join(',')}\n`;
  if (!isWide) {
    yield* rows as AsyncIterable<Buffer>;
    return;
  }
  for await (const line of createInterface({ input: rows, crlfDelay: Infinity })) {
    const row = JSON.parse(line) as Record<string, string | null>;
    yield `${names.map((name) => csvCell(row[name])).join(',')}\n`;
  }
}

/** Streams people, events, orders or the consent log out, as CSV or NDJSON, for everybody or for those who match. Memory stays flat. */
export async function exportFile(
  db: Db,
  url: URL,
  { signal, idleMs = IDLE_MS }: { signal?: AbortSignal; idleMs?: number } = {},
): Promise<{ name: string; type: string; body: Readable }> {
  const what = url.searchParams.get('what') ?? 'people';
  const format = url.searchParams.get('format') ?? 'csv';
  if (!EXPORTS.includes(what as ExportKind))
    throw new Problem(400, 'Not an export', 'There is no such export.', [
      { field: 'what', wrong: 'is none of the exports', right: EXPORTS.join(', ') },
    ]);
  if (format !== 'csv' && format !== 'ndjson')
    throw new Problem(400, 'Not a format', 'There is no such format.', [
      { field: 'format', wrong: 'is none of the formats', right: 'csv or ndjson' },
    ]);
  const store = await readStore(db);
  const { filter } = filterOf(url.searchParams, store);
  const columns = await exportColumns(db, what as ExportKind);
  const isWide = columns.length > MOST_COLUMNS;
  // more columns than a statement can have: people come as lines, and what stands in them is put in columns here
  const statement = isWide ? wideStatement(db, columns, filter) : exportStatement(db, what as ExportKind, columns, filter, format);
  const rows = await copyOut(databaseOf(db), statement, format === 'csv' && !isWide ? 'csv' : 'lines', { signal, idleMs }).catch(
    (error: unknown) => {
      throw error instanceof TooManyStreams
        ? new Problem(
            429,
            'Too much at once',
            `${MOST_STREAMS} exports are being downloaded at the moment, as many as may be. Try again in a minute.`,
            [],
            { 'retry-after': '60' },
          )
        : error;
    },
  );
  const body =
    format === 'ndjson'
      ? rows
      : Readable.from(
          asCsv(
            columns.map(({ name }) => name),
            isWide,
            rows,
          ),
          { objectMode: false },
        );
  // what ends the one ends the other
  body.once('close', () => rows.destroy());
  return {
    name: `${what}-${new Date(store.now).toISOString().slice(0, 10)}.${format}`,
    type: format === 'csv' ? 'text/csv; charset=utf-8' : 'application/x-ndjson',
    body,
  };
}
