import { route, written } from '@/server/door';
import { takeUpload } from '@/server/work';

export const dynamic = 'force-dynamic';
/** Takes a file in: the body is the file itself, its name stands in the address. */
export const POST = route(async ({ db, request, url, caller }) => {
  const upload = await takeUpload(db, url.searchParams.get('name') ?? 'file', request.body, caller.name);
  return written(upload, { key: upload.key }, 201);
});
