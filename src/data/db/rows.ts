/** How a column of handed-over rows is read. A moment is a `Date` or an instant in milliseconds. */
export type Column = 'bigint' | 'int' | 'float' | 'boolean' | 'text' | 'text[]' | 'jsonb' | 'moment';

type Given<C extends Record<string, Column>> = { readonly [N in keyof C]?: unknown };

export interface Rows<C extends Record<string, Column>> {
  /** what stands in a `from`: a table with these columns; its binding is `rows`, or as named */
  readonly sql: string;
  /** rows as that binding */
  readonly of: (rows: readonly Given<C>[]) => string;
  /**
   * rows of what somebody else sent: as it was but for what PostgreSQL's text cannot hold, U+0000 and halves of surrogate
   * pairs, which show as signs that stand for them
   */
  readonly ofAnything: (rows: readonly Given<C>[]) => string;
}

const READ: Record<Column, (field: number) => string> = {
  bigint: (field) => `(e->>${field})::bigint`,
  int: (field) => `(e->>${field})::int`,
  float: (field) => `(e->>${field})::float8`,
  boolean: (field) => `(e->>${field})::boolean`,
  text: (field) => `e->>${field}`,
  'text[]': (field) => `(e->>${field})::text[]`,
  jsonb: (field) => `nullif(e->${field}, 'null')`,
  moment: (field) => `to_timestamp((e->>${field})::float8 / 1000)`,
};

/**
 * Rows that are handed to a statement as one parameter, so that one statement writes or looks up any number of them.
 * They travel as lists in jsonb, which PostgreSQL reads twice as fast as `json_to_recordset` reads objects.
 */
export function rowsOf<C extends Record<string, Column>>(columns: C, binding = 'rows'): Rows<C> {
  const names = Object.keys(columns);
  const kinds = names.map((name) => columns[name]!);
  // plain loops: this is done for each cell of a million rows
  const lists = (rows: readonly Given<C>[]): unknown[][] =>
    rows.map((row) => {
      const list = new Array<unknown>(names.length);
      for (let at = 0; at < names.length; at++) {
        const value: unknown = row[names[at]!];
        if (value === null || value === undefined) list[at] = null;
        else if (kinds[at] === 'moment' && value instanceof Date) list[at] = value.getTime();
        else list[at] = kinds[at] === 'text[]' ? textList(value as readonly string[]) : value;
      }
      return list;
    });
  return {
    sql: `(select ${names.map((name, at) => `${READ[kinds[at]!](at)} as "${name}"`).join(', ')} from jsonb_array_elements(cast(:${binding} as jsonb)) as e)`,
    of: (rows) => JSON.stringify(lists(rows)),
    ofAnything: (rows) =>
      JSON.stringify(lists(rows), (_name, value: unknown) =>
        typeof value === 'string' ? (value.replaceAll('\u0000', '\u2400') as string & { toWellFormed(): string }).toWellFormed() : value,
      ),
  };
}

/** A list of texts as PostgreSQL writes it (its manual, 8.15.2): each in double quotes, those and backslashes escaped. */
export function textList(list: readonly string[]): string {
  if (!list.length) return '{}';
  const isPlain = !/["\\]/.test(list.join(''));
  return `{"${(isPlain ? list : list.map((text) => text.replace(/["\\]/g, '\\$&'))).join('","')}"}`;
}
