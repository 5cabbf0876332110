import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Client } from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { query, type Db } from './db';

export type Cell = string | number | boolean | Date | null | readonly string[] | { readonly [name: string]: unknown };

/** One cell in PostgreSQL's text format for COPY. */
function cell(value: Cell): string {
  if (value === null) return '\\N';
  if (value instanceof Date) return value.toISOString();
  if (Array.isArray(value)) return escape(`{${value.map((one: string) => `"${one.replace(/[\\"]/g, '\\$&')}"`).join(',')}}`);
  return escape(typeof value === 'object' ? JSON.stringify(value) : String(value));
}

const escape = (text: string) => text.replace(/[\\\n\r\t]/g, (c) => ({ '\\': '\\\\', '\n': '\\n', '\r': '\\r', '\t': '\\t' })[c]!);

/** Writes any number of rows into a table by COPY: the fast way in for what is known to be sound. Batches may come as they are read. */
export async function copyInto(db: Db, table: string, columns: readonly string[], rows: Iterable<readonly Cell[]> | AsyncIterable<readonly (readonly Cell[])[]>): Promise<void> {
  const pool = db.client as { acquireConnection(): Promise<Client>; releaseConnection(client: Client): Promise<void> };
  const client = await pool.acquireConnection();
  try {
    const sink = client.query(copyFrom(`copy ${table} (${columns.join(', ')}) from stdin`));
    await pipeline(Readable.from(Symbol.asyncIterator in rows ? batches(rows) : chunks(rows), { objectMode: false }), sink);
  } finally {
    await pool.releaseConnection(client);
  }
}

/** The same for rows that come in batches, as from a file. */
async function* batches(source: AsyncIterable<readonly (readonly Cell[])[]>): AsyncGenerator<string> {
  for await (const rows of source) if (rows.length) yield rows.map((row) => `${row.map(cell).join('\t')}\n`).join('');
}

function* chunks(rows: Iterable<readonly Cell[]>): Generator<string> {
  let chunk = '';
  for (const row of rows) {
    chunk += `${row.map(cell).join('\t')}\n`;
    if (chunk.length > 65_536) {
      yield chunk;
      chunk = '';
    }
  }
  if (chunk) yield chunk;
}

/** Moves the counters of tables whose rows brought their own numbers past the greatest of them. */
export async function passCounters(db: Db, tables: readonly string[]): Promise<void> {
  for (const table of tables) await query(db, `select setval(pg_get_serial_sequence('${table}', 'id'), (select coalesce(max(id), 1) from ${table}))`);
}

/** Streams the answer of a statement out by COPY, as CSV or as text lines. The connection is held until the stream has ended. */
export async function copyOut(db: Db, statement: string, format: 'csv' | 'lines'): Promise<Readable> {
  const pool = db.client as { acquireConnection(): Promise<Client>; releaseConnection(client: Client): Promise<void> };
  const client = await pool.acquireConnection();
  // JSON holds no control characters, so with these as quote and delimiter each row is a line as it is
  const options = format === 'csv' ? 'format csv, header false' : `format csv, quote E'\\x01', delimiter E'\\x02'`;
  const source = client.query(copyTo(`copy (${statement}) to stdout with (${options})`));
  let isOver = false;
  const release = (isUsable: boolean): void => {
    if (isOver) return;
    isOver = true;
    if (isUsable) return void pool.releaseConnection(client);
    // a connection in the middle of COPY answers nothing else any more: once it is closed, the pool opens another
    client.once('end', () => void pool.releaseConnection(client));
    (client as Client & { connection: { stream: { destroy(): void } } }).connection.stream.destroy();
  };
  source.once('end', () => release(true));
  source.once('error', () => release(true));
  source.once('close', () => release(false));
  return source;
}
