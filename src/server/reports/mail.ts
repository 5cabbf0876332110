import { barsPicture } from '@/core/reports';
import { findReport, noteReportSent } from '@/data/reports';
import { readStore, recordAct } from '@/data/store';
import type { Dispatch } from '../messages';
import { reportFigures } from './figures';
import { reportHtml, reportText, sayPeriod } from './page';
import { pngOf } from './png';
import type { ReportJob } from './queue';
import { shareUrl } from './reports';

const PICTURE = 'bars@report';

/** Puts a report together and hands it over, under a Message-ID of its own for report, moment and reader: a repeat is dropped. */
export async function mailReport(
  context: Pick<Dispatch, 'db' | 'mailer' | 'urgentMailer' | 'url'>,
  { key, at, to }: ReportJob,
): Promise<void> {
  const { db } = context;
  const row = await findReport(db, key);
  // who was taken off meanwhile, or whose report is gone, gets none
  if (!row?.document.mail?.to.includes(to)) return;
  const store = await readStore(db);
  const { document } = row;
  const view = await reportFigures(db, document, at);
  const { name: storeName, zone } = store;
  const png = await pngOf(barsPicture(view.days, { currency: view.currency, grain: view.grain }));
  const page = `${context.url}/revenue/reports/${key}`;
  const link = row.link ? shareUrl(context.url, row.link) : page;
  const html = reportHtml(document, view, { storeName, zone, picture: { src: `cid:${PICTURE}` } });
  const place = store.fromEmail.split('@')[1];
  const handed = await (context.urgentMailer ?? context.mailer).send({
    subject: `${document.name}, ${sayPeriod(view, zone)}`,
    html:
      `<!doctype html><html lang="en"><body style="margin:0;padding:24px;background:#fff"><div style="max-width:640px">${html}` +
      `<p style="font-family:Arial,sans-serif;font-size:13px"><a href="${link}">Open the report</a></p></div></body></html>`,
    text: `${reportText(document, view, { storeName, zone })}\n\n${link}`,
    from: { name: storeName, address: store.fromEmail },
    to: { name: '', address: to },
    messageId: `<report-${row.id}-${at}-${Buffer.from(to).toString('hex')}@${place}>`,
    date: new Date(store.now),
    unsubscribeUrl: null,
    attachments: [{ filename: 'report.png', content: png, contentType: 'image/png', cid: PICTURE }],
  });
  if (handed.taken) return noteReportSent(db, row.id, store.now);
  // refused for good: it stands in the log, with the server's words
  await recordAct(db, store.now, 'mail server', 'report.refused', { key, to, because: handed.reason });
}
