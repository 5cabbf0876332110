import { Readable } from 'node:stream';
import { exportFile } from '@/server/exports';
import { route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => {
  const { name, type, body } = await exportFile(db, url);
  return new Response(Readable.toWeb(body) as ReadableStream, { headers: { 'content-type': type, 'content-disposition': `attachment; filename="${name}"`, 'cache-control': 'no-store', 'x-content-type-options': 'nosniff' } });
});
