import { allAbout } from '@/server/people';
import { route } from '@/server/door';

export const dynamic = 'force-dynamic';
/** Everything on file about the person, as a file. */
export const GET = route(
  async ({ db, params }) =>
    new Response(JSON.stringify(await allAbout(db, params.id!), null, 2), {
      headers: {
        'content-type': 'application/json',
        'content-disposition': 'attachment; filename="everything-on-file.json"',
        'cache-control': 'no-store',
      },
    }),
);
