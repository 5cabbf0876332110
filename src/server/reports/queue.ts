import { nextMail } from '@/core/reports';
import type { Instant } from '@/core/time';
import { inTransaction, type Db } from '@/data/db';
import { dueReports, findReport, putOffReport } from '@/data/reports';
import { readStore, recordAct } from '@/data/store';
import { addJobs } from '@/data/work';
import { notFound, Problem } from '../http';

/** One report to one reader, as of a moment. */
export interface ReportJob {
  readonly key: string;
  readonly at: Instant;
  readonly to: string;
}
const TRIES = 15;

/** Hands on the reports whose time has come, each once, and says when they come round again. Answers how many. */
export async function sendDueReports(db: Db): Promise<number> {
  return inTransaction(db, async (trx) => {
    const { now, zone } = await readStore(trx);
    const due = await dueReports(trx, now);
    for (const row of due) {
      const at = row.next_at!.getTime();
      await addJobs(
        trx,
        'report',
        (row.document.mail?.to ?? []).map((to): ReportJob => ({ key: row.key, at, to })),
        TRIES,
      );
      await putOffReport(trx, row.id, nextMail(row.document, now, zone));
    }
    return due.length;
  });
}

/** Sends a report now to all its readers. */
export async function sendReportNow(db: Db, key: string, by: string): Promise<{ readers: number }> {
  return inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const row = await findReport(trx, key.slice(0, 80));
    if (!row) throw notFound(`report "${key.slice(0, 60)}"`);
    const to = row.document.mail?.to ?? [];
    if (!to.length) throw new Problem(422, 'No readers', 'Say first to whom the report goes.');
    await addJobs(
      trx,
      'report',
      to.map((one): ReportJob => ({ key, at: now, to: one })),
      TRIES,
    );
    await recordAct(trx, now, by, 'report.sent', { key, readers: to.length });
    return { readers: to.length };
  });
}
