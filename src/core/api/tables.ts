import * as z from 'zod';
import type { Value } from '../rules';

/** A table in which flows look rows up. */
export interface TableItem {
  readonly key: string;
  readonly name: string;
  readonly version: number;
  /** the column by which rows are looked up */
  readonly keyColumn: string;
  readonly columns: readonly string[];
  readonly rows: number;
  readonly changedAt: string;
  readonly changedBy: string;
  /** flows that look into it, as they are on or drafted */
  readonly usedBy: readonly { readonly key: string; readonly name: string }[];
}
export interface TableView extends TableItem {
  readonly isArchived: boolean;
  readonly versions: readonly {
    readonly version: number;
    readonly rows: number;
    readonly columns: readonly string[];
    readonly at: string;
    readonly by: string;
  }[];
}
export interface TableRowsView {
  readonly total: number;
  readonly rows: readonly { readonly [column: string]: Value }[];
}

const name = z.string().trim().min(1, 'must not be empty').max(80);
/** A table as it is loaded: a CSV whose first line names the columns, and the column by which rows are looked up. */
export const lookupTableInput = z.strictObject({
  name,
  keyColumn: z.string().trim().min(1, 'must name a column').max(120),
  csv: z.string().min(1, 'must not be empty'),
});
export const lookupTableVersionInput = z.strictObject({ version: z.int().min(1) });
