import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Client } from 'pg';
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
export async function copyInto(
  db: Db,
  table: string,
  columns: readonly string[],
  rows: Iterable<readonly Cell[]> | AsyncIterable<readonly (readonly Cell[])[]>,
): Promise<void> {
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
  for (const table of tables)
    await query(db, `select setval(pg_get_serial_sequence('${table}', 'id'), (select coalesce(max(id), 1) from ${table}))`);
}

/** How many answers may be streamed out at once by a process: each has a connection of its own, beside the pool. */
export const MOST_STREAMS = 4;
let streams = 0;
/** How long one more waits for a place. */
const PATIENCE_MS = 3_000;

/** Raised when as many answers are being streamed out as may be. */
export class TooManyStreams extends Error {}

/**
 * Streams the answer of a statement out by COPY, as CSV or as text lines, over a connection of its own that ends with the
 * stream: when all is read, when the reader is gone (`signal`), and when nothing has been read for `idleMs`. So a reader
 * who hangs or gives up holds nobody up.
 */
export async function copyOut(
  url: string,
  statement: string,
  format: 'csv' | 'lines',
  { signal, idleMs }: { signal?: AbortSignal; idleMs: number },
): Promise<Readable> {
  // mostly one is done within moments
  for (let waited = 0; streams >= MOST_STREAMS && waited < PATIENCE_MS && !signal?.aborted; waited += 50)
    await new Promise((resolve) => setTimeout(resolve, 50));
  if (streams >= MOST_STREAMS) throw new TooManyStreams('as many answers are being streamed out as may be');
  streams += 1;
  const client = new Client({ connectionString: url, application_name: 'viatic export', keepAlive: true });
  // JSON holds no control characters, so with these as quote and delimiter each row is a line as it is
  const options = format === 'csv' ? 'format csv, header false' : `format csv, quote E'\\x01', delimiter E'\\x02'`;
  const rows = copyTo(`copy (${statement}) to stdout with (${options})`);
  // one that comes before there is a reader must find the reader all the same
  rows.on('error', (error) => rows.destroy(error));
  let isOver = false;
  let timer: NodeJS.Timeout | undefined;
  const end = (): void => {
    if (isOver) return;
    isOver = true;
    streams -= 1;
    clearTimeout(timer);
    signal?.removeEventListener('abort', end);
    // whoever still reads on must not take this for the end of the file
    rows.destroy(new Error('the file was not read for too long, or its reader is gone'));
    // in the middle of COPY a connection hears nothing: closing it is what the server notices
    (client as Client & { connection: { stream: { destroy(): void } } }).connection.stream.destroy();
  };
  client.on('error', end);
  try {
    await client.connect();
    if (signal?.aborted) throw signal.reason;
  } catch (error) {
    end();
    throw error;
  }
  signal?.addEventListener('abort', end);
  const wait = (): void => {
    clearTimeout(timer);
    timer = setTimeout(end, idleMs);
  };
  client.query(rows);
  async function* read(): AsyncGenerator<Buffer> {
    try {
      for await (const chunk of rows) {
        wait();
        yield chunk as Buffer;
      }
    } finally {
      end();
    }
  }
  wait();
  const stream = Readable.from(read(), { objectMode: false });
  stream.once('close', end);
  return stream;
}
