import { files, keepFile } from '@/server/public';
import { readBytes } from '@/server/http';
import { json, route, written } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json({ files: await files(db) }));
export const POST = route(async ({ db, request, url, caller }) => {
  const file = await keepFile(db, url.searchParams.get('name') ?? '', await readBytes(request, 10 * 1024 * 1024), caller.name);
  return written(file, file, 201);
});
