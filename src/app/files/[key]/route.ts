import { database } from '@/server/database';
import { promisedFile } from '@/server/forms';

export const dynamic = 'force-dynamic';

/** A file that a form promised. Its name cannot be guessed, and no browser runs it. */
export async function GET(_request: Request, { params }: { params: Promise<{ key: string }> }): Promise<Response> {
  const file = await promisedFile(database(), (await params).key);
  if (!file) return new Response('There is no such file.', { status: 404, headers: { 'content-type': 'text/plain; charset=utf-8' } });
  return new Response(new Uint8Array(file.bytes), {
    headers: {
      'content-type': file.type, 'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`, 'x-content-type-options': 'nosniff',
      'content-security-policy': "default-src 'none'; sandbox", 'cache-control': 'private, max-age=3600',
    },
  });
}
