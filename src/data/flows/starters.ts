import { flowSchema, type FlowDocument } from '@/core/flows';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

export interface StarterRow {
  readonly key: string;
  readonly name: string;
  readonly says: string;
  readonly document: FlowDocument;
  readonly at: Date;
  readonly by: string;
}

/** The flows that the store begins others with, by name. */
export async function ownStarters(sql: Sql): Promise<StarterRow[]> {
  const rows = await query<StarterRow>(sql, 'select key, name, says, document, at, by from starters order by lower(name), key');
  return rows.map((row) => ({ ...row, document: flowSchema.parse(row.document) }));
}

export async function addStarter(sql: Sql, starter: Omit<StarterRow, 'at'> & { readonly at: Instant }): Promise<void> {
  await query(sql, 'insert into starters (key, name, says, document, at, by) values (:key, :name, :says, :document, :at, :by)', {
    ...starter,
    document: JSON.stringify(starter.document),
    at: new Date(starter.at),
  });
}

/** Answers whether there was one. */
export async function removeStarter(sql: Sql, key: string): Promise<boolean> {
  return (await query(sql, 'delete from starters where key = :key returning 1', { key })).length > 0;
}
