import * as z from 'zod';
import type { Value } from '../rules';

/** A table of the store that flows look rows up in: each row by its key, with its fields. */
export interface Table {
  readonly name: string;
  readonly rows: ReadonlyMap<string, { readonly [column: string]: Value }>;
}
/** All tables of the store, by key. */
export type Tables = ReadonlyMap<string, Table>;

export const tableKey = z.string().regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'is not the key of a table; use a-z, 0-9 and -');
export const columnName = z.string().regex(/^[\p{L}_][\p{L}\p{N}_]{0,59}$/u, 'is not the name of a column; use letters, digits and _');

export const MOST_ROWS = 20_000;
export const MOST_COLUMNS = 50;
export const MOST_TABLES = 50;
export const LONGEST_CELL = 1000;

/** How a key is compared: without spaces around it, capitals or not; a number as it is written. Null where there is none. */
export function rowKeyOf(value: Value | undefined): string | null {
  if (typeof value !== 'string' && typeof value !== 'number') return null;
  const text = String(value).trim().toLowerCase();
  return text === '' || text.length > 200 ? null : text;
}

/** What a cell says: a number, yes or no where it is plainly one, otherwise its text; null where it is empty. A leading 0 is no number's. */
export function cellOf(text: string): string | number | boolean | null {
  const said = text.trim();
  if (said === '') return null;
  if (said === 'true' || said === 'false') return said === 'true';
  return /^-?(0|[1-9]\d{0,14})(\.\d{1,6})?$/.test(said) ? Number(said) : said;
}

/** The name of a column as rules and placeholders can say it: "Care sheet" becomes "Care_sheet". */
export const columnOf = (head: string): string =>
  head
    .trim()
    .replace(/[^\p{L}\p{N}_]+/gu, '_')
    .replace(/^_+|_+$/g, '')
    .replace(/^(?=\p{N})/u, '_')
    .slice(0, 60);
