import { readStore } from '@/data/store';
import { env } from '@/server/base';
import { publicRoute } from '@/server/door';
import { noteDownload, openLink } from '@/server/messages';
import { fetchPage, fileAnswer, pageAnswer, problemPage, promisedFile } from '@/server/public';

export const dynamic = 'force-dynamic';

/** A file that a letter leads to, as long as it said; that it was fetched is counted. */
export const GET = publicRoute(async ({ db, params, request }) => {
  const store = await readStore(db);
  const link = openLink(env().secret, params.token!, 'file');
  if (!link?.file) return pageAnswer(fetchPage(store.name, 'unknown'), 404);
  if (link.file.until && link.file.until * 1000 <= store.now) return pageAnswer(fetchPage(store.name, 'over'), 410);
  const file = await promisedFile(db, link.file.key);
  if (!file) return pageAnswer(fetchPage(store.name, 'unknown'), 404);
  await noteDownload(db, link, file.name, request.headers.get('user-agent'));
  return fileAnswer(file, 'no-store');
}, problemPage);
