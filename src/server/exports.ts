import { PassThrough, type Readable } from 'node:stream';
import { csvCell } from '@/core/imports';
import type { Db } from '@/data/db';
import { copyOut } from '@/data/copy';
import { exportColumns, exportStatement, EXPORTS, type ExportKind } from '@/data/exports';
import { readStore } from '@/data/store';
import { Problem } from './http/problem';
import { filterOf } from './people';

/** Streams people, events, orders or the consent log out, as CSV or NDJSON, for everybody or for those who match. Memory stays flat. */
export async function exportFile(db: Db, url: URL): Promise<{ name: string; type: string; body: Readable }> {
  const what = url.searchParams.get('what') ?? 'people';
  const format = url.searchParams.get('format') ?? 'csv';
  if (!EXPORTS.includes(what as ExportKind)) throw new Problem(400, 'Not an export', 'There is no such export.', [{ field: 'what', wrong: 'is none of the exports', right: EXPORTS.join(', ') }]);
  if (format !== 'csv' && format !== 'ndjson') throw new Problem(400, 'Not a format', 'There is no such format.', [{ field: 'format', wrong: 'is none of the formats', right: 'csv or ndjson' }]);
  const store = await readStore(db);
  const { filter } = filterOf(url.searchParams, store.now, store.zone);
  const columns = await exportColumns(db, what as ExportKind);
  const rows = await copyOut(db, exportStatement(db, what as ExportKind, columns, filter, format), format === 'csv' ? 'csv' : 'lines');
  const body = new PassThrough();
  // lines end as COPY ends them, the first like all others
  if (format === 'csv') body.write(`${columns.map((column) => csvCell(column.name)).join(',')}\n`);
  rows.on('error', (error) => body.destroy(error));
  body.on('close', () => rows.destroy());
  rows.pipe(body);
  return { name: `${what}-${new Date(store.now).toISOString().slice(0, 10)}.${format}`, type: format === 'csv' ? 'text/csv; charset=utf-8' : 'application/x-ndjson', body };
}
