import type { AttributeRecord } from '@/core/people';
import type { Sql } from '@/data/db';
import { listAttributeRows, toRecord } from '@/data/attributes';

const KEEP_MS = 2000;
const kept = new Map<string, { records: ReadonlyMap<string, AttributeRecord>; until: number }>();

/** What is on record about attributes. Kept for a moment: a thousand batches a second need not read it a thousand times. */
export async function attributeRecords(sql: Sql, scope: string): Promise<ReadonlyMap<string, AttributeRecord>> {
  const known = kept.get(scope);
  if (known && known.until > Date.now()) return known.records;
  const records = new Map((await listAttributeRows(sql)).map((row) => [row.name, toRecord(row)]));
  kept.set(scope, { records, until: Date.now() + KEEP_MS });
  return records;
}

export function forgetAttributes(scope: string): void {
  kept.delete(scope);
}
