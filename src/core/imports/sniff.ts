/** What a file of rows looks like: how its cells are told apart, and whether its first row names them. */
export interface Look {
  readonly delimiter: string;
  readonly hasHeader: boolean;
}

export const DELIMITERS = [',', ';', '\t', '|'] as const;

/** Splits one record of RFC 4180 text; only for looking at a sample, the import itself uses a library. */
export function sampleRows(text: string, delimiter: string, most: number): string[][] {
  const rows: string[][] = [];
  let row: string[] = [];
  let cell = '';
  let isQuoted = false;
  for (let i = 0; i < text.length && rows.length < most; i++) {
    const c = text[i]!;
    if (isQuoted) {
      if (c === '"') {
        if (text[i + 1] === '"') cell += text[++i]!;
        else isQuoted = false;
      } else cell += c;
    } else if (c === '"' && cell === '') isQuoted = true;
    else if (c === delimiter) {
      row.push(cell);
      cell = '';
    } else if (c === '\n' || c === '\r') {
      if (c === '\r' && text[i + 1] === '\n') i++;
      row.push(cell);
      cell = '';
      if (row.length > 1 || row[0] !== '') rows.push(row);
      row = [];
    } else cell += c;
  }
  if ((cell || row.length) && rows.length < most) rows.push([...row, cell]);
  return rows;
}

/** Finds the delimiter that gives the same number of cells in most rows, and whether the first row is of names. */
export function lookAt(text: string): Look {
  let best: { delimiter: string; score: number } = { delimiter: ',', score: -1 };
  for (const delimiter of DELIMITERS) {
    const rows = sampleRows(text, delimiter, 40);
    const widths = new Map<number, number>();
    for (const row of rows) widths.set(row.length, (widths.get(row.length) ?? 0) + 1);
    const [width, count] = [...widths].sort((a, b) => b[1] - a[1])[0] ?? [1, 0];
    const score = width > 1 ? (count / Math.max(1, rows.length)) * 100 + Math.min(width, 50) : 0;
    if (score > best.score) best = { delimiter, score };
  }
  const rows = sampleRows(text, best.delimiter, 20);
  const first = rows[0] ?? [];
  const isName = (cell: string) => cell.trim() !== '' && !/@|^\d|^[+-]?\d+([.,]\d+)?$/.test(cell.trim()) && cell.length < 60;
  return { delimiter: best.delimiter, hasHeader: first.length > 0 && first.every(isName) && new Set(first).size === first.length };
}
