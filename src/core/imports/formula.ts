/**
 * A text as it stands in a CSV cell that a spreadsheet will open: one that would be taken for a formula gets an
 * apostrophe in front (OWASP, CSV injection: cells that begin with = + - @, tab or carriage return). Numbers stay.
 */
export function defuse(text: string): string {
  return /^[=+\-@\t\r]/.test(text) && !/^[+-]?\d+([.,]\d+)*$/.test(text) ? `'${text}` : text;
}

/** One cell by RFC 4180 §2: quoted where it holds a quote, a comma or a line break. */
export function csvCell(value: string | number | boolean | null | undefined): string {
  if (value === null || value === undefined) return '';
  const text = typeof value === 'string' ? defuse(value) : String(value);
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** One record by RFC 4180, with its line break. */
export const csvRow = (values: readonly (string | number | boolean | null | undefined)[]): string => `${values.map(csvCell).join(',')}\r\n`;
