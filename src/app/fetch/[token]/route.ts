import { readStore } from '@/data/store';
import { env } from '@/server/base';
import { publicRoute } from '@/server/door';
import { noteDownload, openLink } from '@/server/messages';
import { fileAnswer, fileOverPage, notCompletePage, pageAnswer, problemPage, promisedFile, speechFor } from '@/server/public';

export const dynamic = 'force-dynamic';

/** A file that a letter leads to, as long as it said; that it was fetched is counted. */
export const GET = publicRoute(async ({ db, params, request }) => {
  const link = openLink(env().secret, params.token!, 'file');
  const speech = () => speechFor(db, link?.personId ?? null);
  if (!link?.file) return pageAnswer(notCompletePage(await speech()), 404);
  if (link.file.until && link.file.until * 1000 <= (await readStore(db)).now) return pageAnswer(fileOverPage(await speech()), 410);
  const file = await promisedFile(db, link.file.key);
  if (!file) return pageAnswer(notCompletePage(await speech()), 404);
  await noteDownload(db, link, file.name, request.headers.get('user-agent'));
  return fileAnswer(file, 'no-store');
}, problemPage);
