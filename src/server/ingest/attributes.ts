import type { AttributeRecord } from '@/core/people';
import { databaseOf, type Sql } from '@/data/db';
import { listAttributeRows, toRecord } from '@/data/people';

const KEEP_MS = 2000;
const kept = new Map<string, { records: ReadonlyMap<string, AttributeRecord>; until: number }>();

/** What is on record about attributes. Kept for a moment: a thousand batches a second need not read it a thousand times. */
export async function attributeRecords(sql: Sql): Promise<ReadonlyMap<string, AttributeRecord>> {
  const known = kept.get(databaseOf(sql));
  if (known && known.until > Date.now()) return known.records;
  const records = new Map((await listAttributeRows(sql)).map((row) => [row.name, toRecord(row)]));
  kept.set(databaseOf(sql), { records, until: Date.now() + KEEP_MS });
  return records;
}

/** Lets what has just changed about attributes be read anew. */
export function forgetAttributes(sql: Sql): void {
  kept.delete(databaseOf(sql));
}
