import { Readable } from 'node:stream';
import { exportFile } from '@/server/exports';
import { route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, url, request }) => {
  const { name, type, body } = await exportFile(db, scope, url, { signal: request.signal });
  return new Response(Readable.toWeb(body) as ReadableStream, { headers: { 'content-type': type, 'content-disposition': `attachment; filename="${name}"`, 'cache-control': 'no-store' } });
});
