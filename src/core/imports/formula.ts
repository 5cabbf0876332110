/** What a spreadsheet cuts off before it looks at a cell: white space, also of other scripts, and signs that are not seen. */
const UNSEEN = '[\\s\\u0000-\\u001f\\u00a0\\u2000-\\u200d\\u2028\\u2029\\u202f\\u205f\\u2060\\u3000\\ufeff]*';
/** The signs with which a formula begins, and those of full width or of typesetting that programs take for them. */
const FORMULA = new RegExp(`^${UNSEEN}[=+@\\-\\uff1d\\uff0b\\uff20\\uff0d\\u2212]`);

/**
 * A text as it stands in a CSV cell that a spreadsheet will open: one that would be taken for a formula gets an
 * apostrophe in front (OWASP, CSV injection: cells that begin with = + - @, tab, line feed or carriage return, also in
 * full width). Numbers stay.
 */
export function defuse(text: string): string {
  return (FORMULA.test(text) && !/^[+-]?\d+([.,]\d+)*$/.test(text)) || /^[\t\r\n]/.test(text) ? `'${text}` : text;
}

/** One cell by RFC 4180 §2: quoted where it holds a quote, a comma or a line break. */
export function csvCell(value: string | number | boolean | null | undefined): string {
  if (value === null || value === undefined) return '';
  const text = typeof value === 'string' ? defuse(value) : String(value);
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** One record by RFC 4180, with its line break. */
export const csvRow = (values: readonly (string | number | boolean | null | undefined)[]): string => `${values.map(csvCell).join(',')}\r\n`;
