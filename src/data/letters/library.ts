import type { Block, Message } from '@/core/messages';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export type LibraryDocument = Message | { readonly blocks: readonly Block[] };

export interface LibraryRow {
  readonly key: string;
  readonly name: string;
  readonly kind: 'message' | 'blocks';
  readonly document: LibraryDocument;
  readonly tags: string[];
  readonly revision: number;
  readonly archived_at: Date | null;
  readonly changed_at: Date;
  readonly changed_by: string;
}

/** What is in the library: what was changed last first, what is archived at the end. */
export const listLibrary = (sql: Sql, kind: LibraryRow['kind'] | null): Promise<LibraryRow[]> =>
  query<LibraryRow>(
    sql,
    `select * from library where (cast(:kind as text) is null or kind = :kind) order by archived_at is not null, changed_at desc, key`,
    { kind },
  );

export const findInLibrary = (sql: Sql, key: string): Promise<LibraryRow | null> =>
  queryOne<LibraryRow>(sql, 'select * from library where key = :key', { key });

export interface LibraryChange {
  readonly key: string;
  readonly name: string;
  readonly kind: LibraryRow['kind'];
  readonly document: LibraryDocument;
  readonly tags: readonly string[];
}

/**
 * Stores something in the library; a document that differs from what is there becomes a revision of its own. Answers null where
 * `from` is not the revision on file.
 */
export async function saveInLibrary(sql: Sql, change: LibraryChange, from: number | null, by: string, at: Instant): Promise<number | null> {
  const kept = await queryOne<LibraryRow>(sql, 'select * from library where key = :key for update', { key: change.key });
  if (kept && from !== null && kept.revision !== from) return null;
  if (kept && kept.kind !== change.kind) return null;
  const document = JSON.stringify(change.document);
  const row = await queryOne<{ revision: number; is_new: boolean }>(
    sql,
    `insert into library (key, name, kind, document, tags, changed_at, changed_by) values (:key, :name, :kind, :document, :tags, :at, :by)
     on conflict (key) do update set name = excluded.name, tags = excluded.tags, changed_at = excluded.changed_at,
       changed_by = excluded.changed_by, archived_at = null,
       revision = library.revision + (library.document is distinct from excluded.document)::int, document = excluded.document
     returning revision`,
    { key: change.key, name: change.name, kind: change.kind, document, tags: [...change.tags], by, at: new Date(at) },
  );
  await query(
    sql,
    `insert into library_versions (key, revision, name, document, at, by) values (:key, :revision, :name, :document, :at, :by)
     on conflict (key, revision) do update set name = excluded.name`,
    { key: change.key, revision: row!.revision, name: change.name, document, by, at: new Date(at) },
  );
  // what somebody stored on the way is one piece of work: of ten minutes the last is kept; and the last fifty are enough to go back to
  await query(
    sql,
    `delete from library_versions where key = :key and revision < :revision and by = :by and at > cast(:at as timestamptz) - interval '10 minutes'
       and exists (select 1 from library_versions v where v.key = :key and v.revision < library_versions.revision)`,
    { key: change.key, revision: row!.revision, by, at: new Date(at) },
  );
  await query(sql, 'delete from library_versions where key = :key and revision <= :revision - 50', {
    key: change.key,
    revision: row!.revision,
  });
  return row!.revision;
}

export interface LibraryVersion {
  readonly revision: number;
  readonly name: string;
  readonly document: LibraryDocument;
  readonly at: Date;
  readonly by: string;
}

export const libraryVersions = (sql: Sql, key: string): Promise<LibraryVersion[]> =>
  query<LibraryVersion>(sql, 'select revision, name, document, at, by from library_versions where key = :key order by revision desc', {
    key,
  });

export const archiveInLibrary = async (sql: Sql, key: string, at: Instant | null): Promise<boolean> =>
  (await query(sql, 'update library set archived_at = :at where key = :key returning key', { key, at: at === null ? null : new Date(at) }))
    .length > 0;
