import { BROWSING, keptSchema, storeInput, USUALLY_KEPT, type Kept, type StoreSettingsView } from '@/core/api';
import { subtractDuration } from '@/core/time';
import { inTransaction, type Db } from '@/data/db';
import { forgetTraces } from '@/data/flows';
import { forgetWaiting } from '@/data/revenue';
import { forgetEvents, forgetOld } from '@/data/sources';
import { readSetting, writeSetting } from '@/data/access';
import { readStore, recordAct, saveStore } from '@/data/store';
import { Problem, problemsOf } from '../http';

/** Under which name it stands how long things are kept. */
const KEPT = 'kept';

/** What the store says of itself, and how long things are kept. */
export async function storeSettings(db: Db): Promise<StoreSettingsView> {
  const { name, address, fromEmail, languages, zone, currency } = await readStore(db);
  return { name, address, fromEmail, languages, zone, currency, kept: (await readSetting<Kept>(db, KEPT)) ?? USUALLY_KEPT };
}

/** Changes what the store says of itself; what it was before stands in the log. */
export async function writeStore(db: Db, body: unknown, by: string): Promise<StoreSettingsView> {
  const parsed = storeInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a store', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const { now, languages } = await readStore(trx);
    await saveStore(trx, { ...parsed.data, languages: [...new Set(parsed.data.languages ?? languages)] });
    await recordAct(trx, now, by, 'store.changed');
  });
  return storeSettings(db);
}

/** Changes how long things are kept. What is older goes within a day, and does not come back. */
export async function writeKept(db: Db, body: unknown, by: string): Promise<StoreSettingsView> {
  const parsed = keptSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a time to keep things', 'Nothing was changed.', problemsOf(parsed.error));
  const is: Kept = parsed.data;
  await inTransaction(db, async (trx) => {
    const was = (await readSetting<Kept>(trx, KEPT)) ?? USUALLY_KEPT;
    await writeSetting(trx, KEPT, is);
    await recordAct(trx, (await readStore(trx)).now, by, 'kept.changed', { was, is });
  });
  return storeSettings(db);
}

/** How many rows one round forgets: the rest goes in the next, so that nobody waits. */
const AT_ONCE = 5_000;

/** Forgets what is older than the store keeps it, some of it at a time. Answers with how many rows went. */
export async function forget(db: Db): Promise<number> {
  const [{ now, zone }, kept] = await Promise.all([readStore(db), readSetting<Kept>(db, KEPT)]);
  const { bodiesDays, browsingMonths, tracesMonths } = kept ?? USUALLY_KEPT;
  await forgetOld(db, now, bodiesDays);
  await forgetWaiting(db, now);
  const before = (months: number) => subtractDuration(now, `P${months}M`, zone);
  return (
    (browsingMonths === null ? 0 : await forgetEvents(db, BROWSING, before(browsingMonths), AT_ONCE)) +
    (tracesMonths === null ? 0 : await forgetTraces(db, before(tracesMonths), AT_ONCE))
  );
}
