import { Readable } from 'node:stream';
import { route } from '@/server/door';
import { hasBadRows } from '@/data/work';
import { Problem } from '@/server/http';
import { badRowsFile, work } from '@/server/work';

export const dynamic = 'force-dynamic';
/** The rows that could not be taken, as a CSV file with what is wrong beside each. */
export const GET = route(async ({ db, params }) => {
  const row = await work(db, params.id!);
  if (Number(row.result.bad ?? 0) > 0 && !(await hasBadRows(db, row.id)))
    throw new Problem(410, 'Gone', 'Rows that could not be taken are kept for 30 days.');
  return new Response(Readable.toWeb(Readable.from(badRowsFile(db, row))) as ReadableStream, {
    headers: {
      'content-type': 'text/csv; charset=utf-8',
      'content-disposition': `attachment; filename="bad-rows-${row.id}.csv"`,
      'cache-control': 'no-store',
    },
  });
});
