import { randomBytes } from 'node:crypto';
import { readSetting, writeSetting } from '@/data/access';
import type { Db } from '@/data/db';

export const newSecret = (): string => `whsec_${randomBytes(24).toString('base64')}`;

/** What our calls are signed with: made when it is first needed. */
export async function callSecret(db: Db): Promise<string> {
  const known = await readSetting<{ secret: string }>(db, 'calls');
  if (known) return known.secret;
  const secret = newSecret();
  await writeSetting(db, 'calls', { secret });
  return (await readSetting<{ secret: string }>(db, 'calls'))!.secret;
}
