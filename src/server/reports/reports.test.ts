import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { newReport, type ReportDocument } from '@/core/reports';
import { query } from '@/data/db';
import { revenueReport } from '../revenue';
import { moveClockTo } from '@/data/store';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  addReport,
  putReport,
  removeReport,
  report,
  reportFigures,
  reportPage,
  reports,
  sendDueReports,
  sendReportNow,
  sharedReport,
  shareReport,
} from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('reports');
});
const URL_OF = 'https://viatic.example';
const document = (change: Partial<ReportDocument> = {}): ReportDocument => ({ ...newReport(), name: 'Each Monday', ...change });
const mailed = (to: string[]): ReportDocument['mail'] => ({ weekday: 1, at: '08:00', to });
const sell = async () => {
  await lab.tell([
    happening('order.placed', { orderId: 'o1', currency: 'EUR', value: 30, person: { email: 'kim@example.com' } }),
    happening('order.placed', { orderId: 'o2', currency: 'EUR', value: 10, person: { email: 'robin@example.com' } }),
  ]);
};

describe('a report of one’s own', () => {
  it('is kept, changed by the revision that was seen, and deleted; each is written down', async () => {
    const made = await addReport(lab.db, document(), 'Marla', URL_OF);
    expect(made).toMatchObject({ key: 'each-monday', revision: 1, url: null, nextAt: null });
    expect((await addReport(lab.db, document(), 'Marla', URL_OF)).key).toBe('each-monday-2');
    const changed = await putReport(lab.db, made.key, { ...document({ days: 30 }), revision: 1 }, 'Ines', URL_OF);
    expect(changed).toMatchObject({ revision: 2, changedBy: 'Ines', document: { days: 30 } });
    await expect(putReport(lab.db, made.key, { ...document(), revision: 1 }, 'Marla', URL_OF)).rejects.toMatchObject({ status: 409 });
    await expect(addReport(lab.db, { ...document(), figures: ['weather'] }, 'Marla', URL_OF)).rejects.toMatchObject({ status: 422 });
    await removeReport(lab.db, made.key, 'Marla');
    await expect(report(lab.db, made.key, URL_OF)).rejects.toMatchObject({ status: 404 });
    expect((await reports(lab.db, URL_OF)).reports.map(({ key }) => key)).toEqual(['each-monday-2']);
    const acts = await query<{ what: string }>(lab.db, `select what from acts where what like 'report.%' order by id`);
    expect(acts.map(({ what }) => what)).toEqual(['report.created', 'report.created', 'report.changed', 'report.deleted']);
  });

  it('says what the ledger says, beside the period before, over time and split', async () => {
    await sell();
    const view = await reportFigures(
      lab.db,
      document({ figures: ['takings', 'orders', 'average', 'share', 'recovery'], splits: ['flow', 'first'] }),
    );
    const ledger = await revenueReport(lab.db, new URL('http://x/'));
    expect(Object.fromEntries(view.figures.map(({ key, now }) => [key, now]))).toEqual({
      takings: ledger.takings,
      orders: 2,
      average: 2_000,
      share: 0,
      recovery: null,
    });
    expect(view.figures[0]).toMatchObject({ before: 0, yearBefore: 0, kind: 'money' });
    expect(view.days.reduce((sum, { takings }) => sum + takings, 0)).toBe(4_000);
    expect(view.splits).toMatchObject([
      { by: 'flow', lines: [], more: 0 },
      { by: 'first', lines: [{ name: 'First orders', orders: 2, takings: 4_000 }] },
    ]);
  });

  it('is read by whoever has its link, until it is taken back; what is in it is no markup', async () => {
    await sell();
    const { key } = await addReport(lab.db, document({ name: '<b>Bold</b> & loud' }), 'Marla', URL_OF);
    const shared = await shareReport(lab.db, key, true, 'Marla', URL_OF);
    const link = /^https:\/\/viatic\.example\/shared\/([\w-]{32})$/.exec(shared.url!)![1]!;
    // sharing it again keeps the link
    expect((await shareReport(lab.db, key, true, 'Marla', URL_OF)).url).toBe(shared.url);
    const row = await sharedReport(lab.db, link);
    const page = reportPage(row!.document, await reportFigures(lab.db, row!.document), { storeName: 'Quillfin', zone: 'Europe/Amsterdam' });
    expect(page).toContain('&lt;b&gt;Bold&lt;/b&gt; &amp; loud');
    expect(page).toContain('€40.00');
    // the page lets in no styles but its own
    expect(page).not.toContain(' style=');
    expect(page).toContain('<svg');
    for (const none of ['', 'x', `${link}x`, link.toLowerCase().toUpperCase()]) expect(await sharedReport(lab.db, none)).toBeNull();
    expect((await shareReport(lab.db, key, false, 'Marla', URL_OF)).url).toBeNull();
    expect(await sharedReport(lab.db, link)).toBeNull();
  });

  it('goes to each of its readers when its time has come, once, as a mail with its picture in it', async () => {
    await sell();
    const to = ['ines@shop.example', 'tom@shop.example'];
    const { key, nextAt } = await addReport(lab.db, document({ mail: mailed(to) }), 'Marla', URL_OF);
    expect(await sendDueReports(lab.db)).toBe(0);
    await moveClockTo(lab.db, Date.parse(nextAt!) + 1_000);
    // two workers look at once
    expect((await Promise.all([sendDueReports(lab.db), sendDueReports(lab.db)])).reduce((sum, sent) => sum + sent)).toBe(1);
    await lab.settle();
    expect(lab.inbox.map(({ to: reader }) => [reader].flat()[0]!.text).sort()).toEqual(to);
    const [mail] = lab.inbox;
    expect(mail!.subject).toMatch(/^Each Monday, \d+ \w+ to \d+ \w+ \d{4}$/);
    expect(mail!.text).toContain('Takings, net: €40.00');
    const [picture] = mail!.attachments;
    expect(picture).toMatchObject({ contentType: 'image/png', contentDisposition: 'inline', related: true });
    // a PNG begins with these bytes, and says its size after them (ISO/IEC 15948, 5.2 and 11.2.2): twice 560 by 220
    expect([...picture!.content.subarray(0, 8)]).toEqual([137, 80, 78, 71, 13, 10, 26, 10]);
    expect([picture!.content.readUInt32BE(16), picture!.content.readUInt32BE(20)]).toEqual([1120, 440]);
    expect(lab.inbox[0]!.messageId).not.toBe(lab.inbox[1]!.messageId);
    const after = await report(lab.db, key, URL_OF);
    expect(Date.parse(after.nextAt!) - Date.parse(nextAt!)).toBe(7 * 86_400_000);
    expect(after.sentAt).not.toBeNull();
    expect(await sendDueReports(lab.db)).toBe(0);
    // what the mail server refuses is not sent: it stands in the log
    const refused = await addReport(lab.db, document({ name: 'Refused', mail: mailed(['refuse@shop.example']) }), 'Marla', URL_OF);
    await sendReportNow(lab.db, refused.key, 'Marla');
    await lab.settle();
    expect((await report(lab.db, refused.key, URL_OF)).sentAt).toBeNull();
    const [told] = await query<{ detail: { because: string } }>(lab.db, `select detail from acts where what = 'report.refused'`);
    expect(told!.detail.because).toMatch(/no such mailbox/);
    // by hand, but not to who is no reader any more
    await sendReportNow(lab.db, key, 'Marla');
    await putReport(lab.db, key, { ...document({ mail: mailed(['tom@shop.example']) }), revision: 1 }, 'Marla', URL_OF);
    await lab.settle();
    expect(lab.inbox).toHaveLength(3);
    await putReport(lab.db, key, { ...document(), revision: 2 }, 'Marla', URL_OF);
    await expect(sendReportNow(lab.db, key, 'Marla')).rejects.toMatchObject({ status: 422 });
  });
});
