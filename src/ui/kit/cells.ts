import { csvRow } from '@/core/imports';

/** What a cell holds, to sort by and to write into a file; null where it is not known. */
export type Value = string | number | boolean | null | undefined;

const words = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });

/** What comes first of two values: words as a person would look them up ("step 2" before "step 10"), everything else by its number. */
export const compareValues = (one: Value, other: Value): number =>
  typeof one === 'string' && typeof other === 'string' ? words.compare(one, other) : Number(one) - Number(other);

/** Rows as a CSV text (RFC 4180) under the names of their columns, each with its unit. */
export function asCsv<Item>(
  columns: readonly { readonly name: string; readonly unit?: string; readonly value?: (item: Item) => Value }[],
  items: readonly Item[],
): string {
  const head = columns.map((column) => (column.unit ? `${column.name} (${column.unit})` : column.name));
  return [head, ...items.map((item) => columns.map((column) => column.value?.(item)))].map(csvRow).join('');
}
