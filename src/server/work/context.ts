import type { Db } from '@/data/db';
import type { Dispatch, Mailer } from '../messages';
import { env } from '../base';

/** No mail goes out where work is taken back. */
const noMailer: Mailer = { send: () => Promise.reject(new Error('no mail is sent from here')), close: () => {} };

/** What long work needs where it is taken back at once, in the web process. */
export function workContext(db: Db): Dispatch {
  const { url, secret } = env();
  return { db, url, secret, mailer: noMailer };
}
