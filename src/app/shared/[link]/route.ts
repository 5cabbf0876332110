import { readStore } from '@/data/store';
import { publicRoute } from '@/server/door';
import { pageAnswer, problemPage, publicPage } from '@/server/public';
import { reportFigures, reportPage, sharedReport } from '@/server/reports';

export const dynamic = 'force-dynamic';

/** A report for whoever has its link. */
export const GET = publicRoute(async ({ db, params }) => {
  const row = await sharedReport(db, params.link!);
  if (!row)
    return pageAnswer(
      publicPage('No such report', '<h1>There is no report here</h1><p>The link is not complete, or it was taken back.</p>'),
      404,
    );
  const { name: storeName, zone } = await readStore(db);
  const view = await reportFigures(db, row.document);
  return pageAnswer(publicPage(row.document.name, reportPage(row.document, view, { storeName, zone }), { isWide: true }));
}, problemPage);
