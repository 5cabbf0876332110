import { fileAnswer, problemText, promisedFile } from '@/server/public';
import { publicRoute } from '@/server/door';
import { Problem } from '@/server/http';

export const dynamic = 'force-dynamic';

/** A file that a form promised. Its name cannot be guessed, and no browser runs it. */
export const GET = publicRoute(async ({ db, params }) => {
  const file = await promisedFile(db, params.key!);
  if (!file) throw new Problem(404, 'Not found', 'There is no such file.');
  return fileAnswer(file, 'private, max-age=3600');
}, problemText);
