import { Transform, type Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { parse, type CsvError } from 'csv-parse';
import type { ImportPlan } from '@/core/imports';
import { Problem } from '../http';

/** The largest file that is taken in, before and after it is unpacked. */
export const LARGEST_UPLOAD = 1024 ** 3;
const LARGEST_UNPACKED = 4 * 1024 ** 3;
/** Text shrinks about tenfold; what grows two hundredfold is made to fill a disk. */
const MOST_GROWTH = 200;
const LONGEST_LINE = 5 * 1024 * 1024;

const unreadable = (detail: string) => new Problem(422, 'Cannot be read', detail);

export const isGzip = (head: Buffer): boolean => head[0] === 0x1f && head[1] === 0x8b;
export const isZip = (head: Buffer): boolean => head[0] === 0x50 && head[1] === 0x4b && (head[2] === 3 || head[2] === 5);

/** Unpacks gzip on the way and stops at what only pretends to be small. */
export function unpacked(source: Readable, head: Buffer): Readable {
  if (isZip(head)) throw unreadable('This is a ZIP archive or a spreadsheet. Save it as CSV (or as .csv.gz) and send that.');
  if (!isGzip(head)) return source;
  let packed = 0;
  let size = 0;
  const gunzip = createGunzip();
  const guard = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      size += chunk.length;
      if (size > LARGEST_UNPACKED || size > 10 * 1024 * 1024 + packed * MOST_GROWTH)
        done(unreadable('The file unpacks to far more than it should; it was not read on.'));
      else done(null, chunk);
    },
  });
  source.on('data', (chunk: Buffer) => (packed += chunk.length));
  source.on('error', (error) => gunzip.destroy(error));
  gunzip.on('error', (error: Error) =>
    guard.destroy(error instanceof Problem ? error : unreadable(`The file is not whole: ${error.message}.`)),
  );
  source.pipe(gunzip).pipe(guard);
  return guard;
}

/** Turns bytes into text, and says where they are not what they were said to be. */
async function* decoded(source: AsyncIterable<Buffer>, encoding: string): AsyncGenerator<string> {
  const decoder = new TextDecoder(encoding, { fatal: true });
  let bytes = 0;
  try {
    for await (const chunk of source) {
      yield decoder.decode(chunk, { stream: true });
      bytes += chunk.length;
    }
    yield decoder.decode();
  } catch (error) {
    if (!(error instanceof TypeError)) throw error;
    throw unreadable(
      `The file is not ${encoding.toUpperCase()}: past byte ${bytes.toLocaleString('en')} there is something else. ` +
        'Choose another encoding, windows-1252 for example.',
    );
  }
}

export interface FileRow {
  readonly number: number;
  readonly cells: readonly string[];
  /** there is something beyond the last named column: quotes or delimiters are wrong */ readonly isTooWide: boolean;
}

/** Files put together from parts mix these; told from the first line alone, the rest would be taken for one record. */
const LINE_ENDS = ['\r\n', '\n', '\r'];

/** The records of a CSV file (RFC 4180), in batches; numbers are those of records, the header not counted. */
export async function* csvRows(source: AsyncIterable<Buffer>, format: ImportPlan['format'], size = 1000): AsyncGenerator<FileRow[]> {
  const parser = parse({
    delimiter: format.delimiter,
    bom: true,
    record_delimiter: LINE_ENDS,
    relax_column_count: true,
    skip_empty_lines: true,
    max_record_size: LONGEST_LINE,
  });
  const feeding = (async () => {
    try {
      for await (const text of decoded(source, format.encoding))
        if (text && !parser.write(text)) await new Promise((resolve) => parser.once('drain', resolve));
      parser.end();
    } catch (error) {
      parser.destroy(error as Error);
    }
  })();
  let batch: FileRow[] = [];
  let number = 0;
  let isHeader = format.hasHeader;
  let width = Infinity;
  try {
    for await (const cells of parser as AsyncIterable<string[]>) {
      if (isHeader) {
        isHeader = false;
        width = cells.length;
        continue;
      }
      batch.push({ number: ++number, cells, isTooWide: cells.length > width && cells.slice(width).some((cell) => cell.trim() !== '') });
      if (batch.length >= size) {
        yield batch;
        batch = [];
      }
    }
  } catch (error) {
    if (error instanceof Problem) throw error;
    const { code, lines } = error as CsvError & { lines?: number };
    if (code === 'CSV_MAX_RECORD_SIZE')
      throw unreadable(
        `After record ${number.toLocaleString('en')} there is one of more than 5 MB: a quotation mark is probably not closed, or the delimiter is another.`,
      );
    if (code === 'CSV_QUOTE_NOT_CLOSED')
      throw unreadable(`A quotation mark opens after record ${number.toLocaleString('en')} and is never closed.`);
    throw unreadable(
      `The file cannot be read at line ${(lines ?? number + 1).toLocaleString('en')}: ${(error as Error).message.slice(0, 200)}.`,
    );
  }
  await feeding;
  if (batch.length) yield batch;
}

/** The lines of an NDJSON file, in batches. A line that is no JSON comes as the text it is. */
export async function* ndjsonRows(
  source: AsyncIterable<Buffer>,
  encoding: string,
  size = 500,
): AsyncGenerator<{ number: number; value: unknown; text: string }[]> {
  let rest = '';
  let number = 0;
  let batch: { number: number; value: unknown; text: string }[] = [];
  const take = (line: string) => {
    number += 1;
    const text = line.trim();
    if (!text) return;
    let value: unknown;
    try {
      value = JSON.parse(text);
    } catch {
      value = undefined;
    }
    batch.push({ number, value, text });
  };
  for await (const text of decoded(source, encoding)) {
    rest += text;
    if (rest.length > LONGEST_LINE && !rest.includes('\n'))
      throw unreadable(`Line ${(number + 1).toLocaleString('en')} is longer than 5 MB.`);
    const lines = rest.split('\n');
    rest = lines.pop()!;
    for (const line of lines) {
      take(line);
      if (batch.length >= size) {
        yield batch;
        batch = [];
      }
    }
  }
  if (rest) take(rest);
  if (batch.length) yield batch;
}
