import type { Form } from '@/core/forms';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export interface FormRow {
  id: number;
  key: string;
  name: string;
  source_id: number;
  document: Form;
  revision: number;
  is_open: boolean;
  created_at: Date;
  changed_at: Date;
  archived_at: Date | null;
}
export interface FormListRow extends FormRow {
  submitted: number;
  submitted_30d: number;
  waiting: number;
}

const COUNTS = `(select count(*)::int from events e where e.source_id = f.source_id and e.type = 'form.submitted') as submitted,
  (select count(*)::int from events e where e.source_id = f.source_id and e.type = 'form.submitted'
    and e.time > cast(:now as timestamptz) - interval '30 days') as submitted_30d,
  (select count(*)::int from confirmations c where c.what = 'form' and c.about = f.key and c.confirmed_at is null and c.expires_at > :now) as waiting`;

export async function listForms(sql: Sql, now: Instant): Promise<FormListRow[]> {
  return query<FormListRow>(sql, `select f.*, ${COUNTS} from forms f where f.archived_at is null order by lower(f.name)`, {
    now: new Date(now),
  });
}

export async function findForm(sql: Sql, key: string): Promise<FormRow | null> {
  return queryOne<FormRow>(sql, 'select * from forms where key = :key', { key });
}

export async function formCounts(sql: Sql, key: string, now: Instant): Promise<FormListRow | null> {
  return queryOne<FormListRow>(sql, `select f.*, ${COUNTS} from forms f where f.key = :key`, { key, now: new Date(now) });
}

export async function createForm(sql: Sql, form: { key: string; document: Form; sourceId: number }, now: Instant): Promise<void> {
  await query(
    sql,
    `insert into forms (key, name, source_id, document, created_at, changed_at) values (:key, :name, :sourceId, :document, :now, :now)`,
    { key: form.key, name: form.document.name, sourceId: form.sourceId, document: JSON.stringify(form.document), now: new Date(now) },
  );
}

/** Stores a form when it still has the revision that the writer saw; answers with the new revision, or null. */
export async function saveForm(sql: Sql, key: string, document: Form, revision: number | null, now: Instant): Promise<number | null> {
  return (
    (
      await queryOne<{ revision: number }>(
        sql,
        `update forms set document = :document, name = :name, revision = revision + 1, changed_at = :now
          where key = :key and (cast(:revision as int) is null or revision = cast(:revision as int)) returning revision`,
        { key, document: JSON.stringify(document), name: document.name, revision, now: new Date(now) },
      )
    )?.revision ?? null
  );
}

export async function setFormState(sql: Sql, key: string, state: { isOpen?: boolean; archivedAt?: Date | null }): Promise<void> {
  if (state.isOpen !== undefined) await query(sql, 'update forms set is_open = :isOpen where key = :key', { key, isOpen: state.isOpen });
  if (state.archivedAt !== undefined)
    await query(sql, 'update forms set archived_at = :at where key = :key', { key, at: state.archivedAt });
}

export interface ConfirmationRow {
  id: string;
  what: 'form' | 'list';
  about: string;
  email: string;
  data: Record<string, unknown>;
  asked_at: Date;
  expires_at: Date;
  confirmed_at: Date | null;
}

export async function askConfirmation(
  sql: Sql,
  row: { digest: string; what: 'form' | 'list'; about: string; email: string; data: object; at: Instant; expiresAt: Instant },
): Promise<void> {
  await query(
    sql,
    `insert into confirmations (digest, what, about, email, data, asked_at, expires_at) values (:digest, :what, :about, :email, :data, :at, :expiresAt)`,
    { ...row, data: JSON.stringify(row.data), at: new Date(row.at), expiresAt: new Date(row.expiresAt) },
  );
}

export async function findConfirmation(sql: Sql, digest: string, isLocked = false): Promise<ConfirmationRow | null> {
  return queryOne<ConfirmationRow>(
    sql,
    `select id, what, about, email, data, asked_at, expires_at, confirmed_at from confirmations where digest = :digest ${isLocked ? 'for update' : ''}`,
    { digest },
  );
}

export async function noteConfirmed(sql: Sql, id: string, at: Instant): Promise<void> {
  await query(sql, 'update confirmations set confirmed_at = :at where id = :id', { id, at: new Date(at) });
}

/** How often an address was asked to confirm since a moment: nobody's inbox is to be filled by a form. */
export async function askedSince(sql: Sql, email: string, since: Instant): Promise<number> {
  return (await queryOne<{ count: number }>(
    sql,
    'select count(*)::int as count from confirmations where email = :email and asked_at > :since and confirmed_at is null',
    { email, since: new Date(since) },
  ))!.count;
}

export async function createFile(
  sql: Sql,
  file: { key: string; name: string; type: string; bytes: Buffer; by: string; at: Date },
): Promise<void> {
  await query(sql, 'insert into files (key, name, type, bytes, by, at) values (:key, :name, :type, :bytes, :by, :at)', file);
}

export async function findFile(sql: Sql, key: string): Promise<{ name: string; type: string; bytes: Buffer } | null> {
  return queryOne(sql, 'select name, type, bytes from files where key = :key', { key });
}

/** Files by their keys. */
export async function findFiles(sql: Sql, keys: readonly string[]): Promise<Map<string, { name: string; type: string; bytes: Buffer }>> {
  const rows = await query<{ key: string; name: string; type: string; bytes: Buffer }>(
    sql,
    'select key, name, type, bytes from files where key = any(cast(:keys as text[]))',
    { keys },
  );
  return new Map(rows.map(({ key, ...file }) => [key, file]));
}

/** Counts that a file was fetched from a letter. */
export async function countDownload(sql: Sql, key: string): Promise<void> {
  await query(sql, 'update files set downloads = downloads + 1 where key = :key', { key });
}

export async function listFiles(
  sql: Sql,
): Promise<{ key: string; name: string; type: string; size: number; at: Date; downloads: number }[]> {
  return query(sql, 'select key, name, type, length(bytes) as size, at, downloads from files order by at desc');
}
