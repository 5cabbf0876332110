import type { ReportDocument } from '@/core/reports';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export interface ReportRow {
  readonly id: number;
  readonly key: string;
  readonly document: ReportDocument;
  readonly revision: number;
  readonly link: string | null;
  readonly next_at: Date | null;
  readonly sent_at: Date | null;
  readonly changed_at: Date;
  readonly changed_by: string;
}
const COLUMNS = 'id, key, document, revision, link, next_at, sent_at, changed_at, changed_by';

export const listReports = (sql: Sql): Promise<ReportRow[]> =>
  query<ReportRow>(sql, `select ${COLUMNS} from reports order by lower(document ->> 'name'), id`);

export const findReport = (sql: Sql, key: string): Promise<ReportRow | null> =>
  queryOne<ReportRow>(sql, `select ${COLUMNS} from reports where key = :key`, { key });

/** The report that a link leads to. */
export const reportByLink = (sql: Sql, link: string): Promise<ReportRow | null> =>
  queryOne<ReportRow>(sql, `select ${COLUMNS} from reports where link = :link`, { link });

/** Creates a report; null where there is one of that key. */
export const createReport = (
  sql: Sql,
  of: { key: string; document: ReportDocument; nextAt: Instant | null; by: string; at: Instant },
): Promise<ReportRow | null> =>
  queryOne<ReportRow>(
    sql,
    `insert into reports (key, document, next_at, created_at, created_by, changed_at, changed_by)
     values (:key, :document, :nextAt, :at, :by, :at, :by) on conflict (key) do nothing returning ${COLUMNS}`,
    { ...of, document: JSON.stringify(of.document), nextAt: of.nextAt === null ? null : new Date(of.nextAt), at: new Date(of.at) },
  );

/** Stores a report in place of the revision that somebody has seen; null where it has changed since, or is gone. */
export const storeReport = (
  sql: Sql,
  of: { key: string; revision: number; document: ReportDocument; nextAt: Instant | null; by: string; at: Instant },
): Promise<ReportRow | null> =>
  queryOne<ReportRow>(
    sql,
    `update reports set document = :document, next_at = :nextAt, revision = revision + 1, changed_at = :at, changed_by = :by
     where key = :key and revision = :revision returning ${COLUMNS}`,
    { ...of, document: JSON.stringify(of.document), nextAt: of.nextAt === null ? null : new Date(of.nextAt), at: new Date(of.at) },
  );

export const linkReport = (sql: Sql, key: string, link: string | null): Promise<ReportRow | null> =>
  queryOne<ReportRow>(sql, `update reports set link = :link where key = :key returning ${COLUMNS}`, { key, link });

export const dropReport = async (sql: Sql, key: string): Promise<boolean> =>
  (await query(sql, 'delete from reports where key = :key returning 1', { key })).length > 0;

/** Reports that are due, held for this transaction; those that another has in hand are passed over. */
export const dueReports = (sql: Sql, now: Instant): Promise<ReportRow[]> =>
  query<ReportRow>(sql, `select ${COLUMNS} from reports where next_at <= :now order by next_at limit 50 for update skip locked`, {
    now: new Date(now),
  });

export const putOffReport = (sql: Sql, id: number, nextAt: Instant | null): Promise<unknown> =>
  query(sql, 'update reports set next_at = :nextAt where id = :id', { id, nextAt: nextAt === null ? null : new Date(nextAt) });

export async function noteReportSent(sql: Sql, id: number, at: Instant): Promise<void> {
  await query(sql, 'update reports set sent_at = greatest(sent_at, cast(:at as timestamptz)) where id = :id', { id, at: new Date(at) });
}
