import { randomBytes } from 'node:crypto';
import type { ReportItem, ReportsView } from '@/core/api';
import { freeKey } from '@/core/flows';
import { nextMail, reportSchema, type ReportDocument } from '@/core/reports';
import { inTransaction, type Db } from '@/data/db';
import { createReport, dropReport, findReport, linkReport, listReports, reportByLink, storeReport, type ReportRow } from '@/data/reports';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';

const MOST_REPORTS = 200;

export const shareUrl = (url: string, link: string): string => `${url}/shared/${link}`;

const itemOf = (row: ReportRow, url: string): ReportItem => ({
  key: row.key,
  document: row.document,
  revision: row.revision,
  url: row.link && shareUrl(url, row.link),
  nextAt: row.next_at?.toISOString() ?? null,
  sentAt: row.sent_at?.toISOString() ?? null,
  changedAt: row.changed_at.toISOString(),
  changedBy: row.changed_by,
});

export const reports = async (db: Db, url: string): Promise<ReportsView> => ({
  reports: (await listReports(db)).map((row) => itemOf(row, url)),
});

async function reportAt(db: Db, key: string): Promise<ReportRow> {
  const row = await findReport(db, key.slice(0, 80));
  if (!row) throw notFound(`report "${key.slice(0, 60)}"`);
  return row;
}
export const report = async (db: Db, key: string, url: string): Promise<ReportItem> => itemOf(await reportAt(db, key), url);
export const reportDocument = async (db: Db, key: string): Promise<ReportDocument> => (await reportAt(db, key)).document;

function read(body: unknown): ReportDocument {
  const parsed = reportSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a report', 'Nothing was stored.', problemsOf(parsed.error));
  return parsed.data;
}

/** Creates a report under a key made of its name. */
export async function addReport(db: Db, body: unknown, by: string, url: string): Promise<ReportItem> {
  const document = read(body);
  return inTransaction(db, async (trx) => {
    const { now, zone } = await readStore(trx);
    const taken = (await listReports(trx)).map(({ key }) => key);
    if (taken.length >= MOST_REPORTS)
      throw new Problem(409, 'Too many reports', `There are ${MOST_REPORTS} reports. Delete one that nobody reads.`);
    const key = freeKey(document.name, taken, 'report');
    const row = await createReport(trx, { key, document, nextAt: nextMail(document, now, zone), by, at: now });
    if (!row) throw new Problem(409, 'There already', 'A report of that name was just created. Try again.');
    await recordAct(trx, now, by, 'report.created', { key });
    return itemOf(row, url);
  });
}

/** Stores a report in place of the revision that it was made from. */
export async function putReport(db: Db, key: string, body: unknown, by: string, url: string): Promise<ReportItem> {
  const { revision, ...rest } = typeof body === 'object' && body !== null ? (body as { revision?: unknown }) : { revision: undefined };
  const document = read(rest);
  if (!Number.isInteger(revision))
    throw new Problem(422, 'Not a report', 'Nothing was stored.', [
      { field: 'revision', wrong: 'is missing', right: 'the revision that the report was made from' },
    ]);
  return inTransaction(db, async (trx) => {
    const { now, zone } = await readStore(trx);
    const was = await reportAt(trx, key);
    const row = await storeReport(trx, { key, revision: revision as number, document, nextAt: nextMail(document, now, zone), by, at: now });
    if (!row) throw new Problem(409, 'Changed meanwhile', `${was.changed_by} has changed this report. Open it again, and change it there.`);
    await recordAct(trx, now, by, 'report.changed', { key });
    return itemOf(row, url);
  });
}

/** Shares a report by a link that nobody can guess, or takes the link back. */
export async function shareReport(db: Db, key: string, isShared: boolean, by: string, url: string): Promise<ReportItem> {
  return inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const was = await reportAt(trx, key);
    if ((was.link !== null) === isShared) return itemOf(was, url);
    const row = await linkReport(trx, key, isShared ? randomBytes(24).toString('base64url') : null);
    await recordAct(trx, now, by, isShared ? 'report.shared' : 'report.unshared', { key });
    return itemOf(row ?? was, url);
  });
}

export async function removeReport(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    if (!(await dropReport(trx, key))) throw notFound(`report "${key.slice(0, 60)}"`);
    await recordAct(trx, now, by, 'report.deleted', { key });
  });
}

/** The report that a link leads to, or null. */
export const sharedReport = (db: Db, link: string): Promise<ReportRow | null> =>
  /^[\w-]{32}$/.test(link) ? reportByLink(db, link) : Promise.resolve(null);
