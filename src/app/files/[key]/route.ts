import { problemText, promisedFile } from '@/server/public';
import { policyOf, publicRoute } from '@/server/door';
import { Problem } from '@/server/http';

export const dynamic = 'force-dynamic';
const POLICY = policyOf({ 'default-src': ["'none'"], sandbox: [], 'frame-ancestors': ["'none'"] });

/** A file that a form promised. Its name cannot be guessed, and no browser runs it. */
export const GET = publicRoute(async ({ db, params }) => {
  const file = await promisedFile(db, params.key!);
  if (!file) throw new Problem(404, 'Not found', 'There is no such file.');
  return new Response(new Uint8Array(file.bytes), {
    headers: {
      'content-type': file.type,
      'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`,
      'content-security-policy': POLICY,
      'cache-control': 'private, max-age=3600',
    },
  });
}, problemText);
