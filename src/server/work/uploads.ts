import { randomBytes } from 'node:crypto';
import type { UploadView } from '@/core/api';
import { lookAt } from '@/core/imports';
import type { Db } from '@/data/db';
import { addUploadPart, createUpload, deleteUpload, findUpload, finishUpload, readUpload, type UploadRow } from '@/data/work';
import { readStore } from '@/data/store';
import { notFound, Problem } from '../http';
import { csvRows, LARGEST_UPLOAD, ndjsonRows, unpacked } from './read';

const PART = 1024 * 1024;

/** Takes a file in, a part at a time, and answers with what it looks like. */
export async function takeUpload(db: Db, name: string, body: ReadableStream<Uint8Array> | null, by: string): Promise<UploadView> {
  if (!body) throw new Problem(400, 'No file', 'Send the file as the body of the request.');
  const { now } = await readStore(db);
  const key = randomBytes(12).toString('base64url');
  const id = await createUpload(db, {
    key,
    name: name.replace(/[^\p{L}\p{N}._ -]+/gu, '_').slice(0, 120) || 'file',
    by,
    at: new Date(now),
  });
  let size = 0;
  let part = 0;
  let pending: Buffer[] = [];
  let waiting = 0;
  const flush = async (isLast: boolean) => {
    if (!waiting) return;
    const whole = Buffer.concat(pending);
    for (let at = 0; at < whole.length; at += PART) {
      const bytes = whole.subarray(at, at + PART);
      if (bytes.length < PART && !isLast) {
        pending = [Buffer.from(bytes)];
        waiting = bytes.length;
        return;
      }
      await addUploadPart(db, id, part++, bytes);
    }
    pending = [];
    waiting = 0;
  };
  const reader = body.getReader();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      size += value.byteLength;
      if (size > LARGEST_UPLOAD)
        throw new Problem(413, 'Too large', 'A file may have up to 1 GiB. Pack it with gzip, or send it in several files.');
      pending.push(Buffer.from(value));
      waiting += value.byteLength;
      if (waiting >= 4 * PART) await flush(false);
    }
    await flush(true);
    if (!size) throw new Problem(422, 'Empty', 'The file is empty.');
    await finishUpload(db, id, size);
    return await lookAtUpload(db, key, {});
  } catch (error) {
    await deleteUpload(db, id);
    await reader.cancel().catch(() => {});
    throw error;
  }
}

export async function upload(db: Db, key: string): Promise<UploadRow> {
  const row = await findUpload(db, key);
  if (!row) throw notFound('file of this name; it may have been removed. Send it again');
  return row;
}

/** The unpacked bytes of an upload. */
export async function openUpload(db: Db, row: UploadRow) {
  const first = await firstBytes(db, row, 4);
  return unpacked(readUpload(db, row.id), first);
}

async function firstBytes(db: Db, row: UploadRow, count: number): Promise<Buffer> {
  for await (const chunk of readUpload(db, row.id)) return (chunk as Buffer).subarray(0, count);
  return Buffer.alloc(0);
}

const SAMPLE = 512 * 1024;

/** Looks at the beginning of a file: encoding, delimiter, header, the first rows. What is given is taken as said. */
export async function lookAtUpload(
  db: Db,
  key: string,
  given: { encoding?: string; delimiter?: string; hasHeader?: boolean },
): Promise<UploadView> {
  const row = await upload(db, key);
  const head: Buffer[] = [];
  let size = 0;
  let isWhole = true;
  for await (const chunk of await openUpload(db, row)) {
    head.push(chunk as Buffer);
    size += (chunk as Buffer).length;
    if (size >= SAMPLE) {
      isWhole = false;
      break;
    }
  }
  const bytes = Buffer.concat(head).subarray(0, SAMPLE);
  const encoding = given.encoding ?? guessEncoding(bytes, isWhole);
  let text: string;
  try {
    text = new TextDecoder(encoding).decode(bytes).replace(/^\ufeff/, '');
  } catch {
    throw new Problem(422, 'Not an encoding', `“${encoding.slice(0, 40)}” is not an encoding that we can read.`, [
      { field: 'encoding', wrong: 'is not known', right: 'utf-8, windows-1252, iso-8859-15, utf-16le' },
    ]);
  }
  if (!isWhole) text = text.slice(0, text.lastIndexOf('\n') + 1) || text;
  const common = { key, name: row.name, size: Number(row.size), encoding, isWhole };
  if (/^\s*\{/.test(text)) {
    const rows: string[][] = [];
    for await (const batch of ndjsonRows(once(Buffer.from(text)), 'utf-8', 20)) {
      rows.push(...batch.map((one) => [one.text]));
      break;
    }
    return { ...common, format: 'ndjson', delimiter: ',', hasHeader: false, columns: ['event'], rows };
  }
  const look = {
    ...lookAt(text.slice(0, 64 * 1024)),
    ...(given.delimiter && { delimiter: given.delimiter }),
    ...(given.hasHeader !== undefined && { hasHeader: given.hasHeader }),
  };
  const rows: string[][] = [];
  for await (const batch of csvRows(
    once(Buffer.from(text)),
    { kind: 'csv', encoding: 'utf-8', delimiter: look.delimiter, hasHeader: false },
    21,
  )) {
    rows.push(...batch.map((one) => one.cells.map((cell) => cell.slice(0, 500))));
    break;
  }
  const names = look.hasHeader ? (rows.shift() ?? []) : [];
  const width = look.hasHeader ? names.length : Math.max(0, ...rows.map((one) => one.length));
  return {
    ...common,
    format: 'csv',
    ...look,
    columns: Array.from({ length: width }, (_, index) => names[index]?.trim() || `Column ${index + 1}`),
    rows: rows.slice(0, 20),
  };
}

async function* once(bytes: Buffer): AsyncGenerator<Buffer> {
  yield bytes;
}

/** The encoding that bytes are in: by their mark, as UTF-8 when they are valid, else the one that most old exports use. */
function guessEncoding(bytes: Buffer, isWhole: boolean): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
  try {
    // a sample may end within a character
    new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: !isWhole });
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}
