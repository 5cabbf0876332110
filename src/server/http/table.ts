import { parse } from 'csv-parse/sync';
import type { FieldProblem } from '@/core/api';
import { Problem } from './problem';

/** How many lines of a table are taken at once. */
const MOST_LINES = 200_000;
const MOST_SAID = 20;

/**
 * The lines of a CSV with the columns that are asked for, whatever else it has; with the number of each. Names of columns are in small
 * letters, unless their case is kept.
 */
export function linesOf(
  csv: string,
  columns: readonly string[],
  { keepsCase = false }: { keepsCase?: boolean } = {},
): { line: number; record: Record<string, string> }[] {
  const refuse = (wrong: string, right: string) =>
    new Problem(422, 'Not such a file', 'Nothing was stored.', [{ field: 'csv', wrong, right }]);
  let records: { info: { lines: number }; record: Record<string, string> }[];
  try {
    records = parse(csv, {
      bom: true,
      columns: (names: string[]) => names.map((name) => (keepsCase ? name.trim() : name.trim().toLowerCase())),
      delimiter: csv.slice(0, 200).split('\n')[0]!.includes(';') ? ';' : ',',
      info: true,
      relax_column_count: true,
      skip_empty_lines: true,
      trim: true,
    }) as typeof records;
  } catch (error) {
    throw refuse(
      `cannot be read: ${(error as Error).message.slice(0, 200)}`,
      columns.length ? `CSV with the columns ${columns.join(', ')}` : 'CSV',
    );
  }
  if (!records.length)
    throw refuse(
      'has no lines',
      columns.length ? `a line of names (${columns.join(', ')}) and one for each` : 'a line of names and one for each',
    );
  if (records.length > MOST_LINES) throw refuse(`has ${records.length} lines`, `at most ${MOST_LINES} at once`);
  const missing = columns.filter((name) => !(name in records[0]!.record));
  if (missing.length) throw refuse(`has no column ${missing.join(' and none ')}`, `the columns ${columns.join(', ')}`);
  return records.map(({ info, record }) => ({ line: info.lines, record }));
}

/** Reads lines one by one; where any cannot be read nothing is stored, and what is wrong is said with its line. */
export function readLines<T>(lines: ReturnType<typeof linesOf>, read: (record: Record<string, string>) => T | string): T[] {
  const found: T[] = [];
  const problems: FieldProblem[] = [];
  for (const { line, record } of lines) {
    const one = read(record);
    if (typeof one !== 'string') found.push(one);
    else if (problems.length < MOST_SAID)
      problems.push({ field: `csv, line ${line}`, wrong: one, right: 'mend the line, or leave it out' });
  }
  if (problems.length) throw new Problem(422, 'Not such a file', 'Nothing was stored.', problems);
  return found;
}
