import type { Db } from '@/data/db';
import type { Dispatch } from './dispatch';
import { env } from './env';
import { openMailer } from './mail';

/** What long work needs where it is taken back at once, in the web process. No mail goes out there. */
export function workContext(db: Db): Dispatch {
  const { databaseUrl, url, secret, smtpUrl } = env();
  return { db, scope: databaseUrl, url, secret, mailer: openMailer(smtpUrl) };
}
