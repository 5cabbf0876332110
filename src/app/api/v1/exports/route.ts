import { Readable } from 'node:stream';
import { exportFile } from '@/server/work';
import { route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url, request }) => {
  const { name, type, body } = await exportFile(db, url, { signal: request.signal });
  return new Response(Readable.toWeb(body) as ReadableStream, {
    headers: { 'content-type': type, 'content-disposition': `attachment; filename="${name}"`, 'cache-control': 'no-store' },
  });
});
