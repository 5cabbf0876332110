import { route } from '@/server/door';
import { actsFile } from '@/server/team';

export const dynamic = 'force-dynamic';
/** What was done, as a file. */
export const GET = route(
  async ({ db, url }) =>
    new Response(await actsFile(db, url), {
      headers: {
        'content-type': 'text/csv; charset=utf-8',
        'content-disposition': 'attachment; filename="log.csv"',
        'cache-control': 'no-store',
      },
    }),
);
