import { limitsInput, trackingInput, type SendingView } from '@/core/api';
import { NO_LIMITS, type LimitsDocument } from '@/core/limits';
import { readSetting, writeSetting } from '@/data/access';
import { inTransaction, type Db } from '@/data/db';
import { lookAgain, wakeHeld } from '@/data/flows';
import { changeWorld, hasHolidays, publicHolidays, readStore, recordAct } from '@/data/store';
import { Problem, problemsOf } from '../http';
import { buildAgain, usesOfTest } from '../people';

/** The limits as they are kept; what was kept before something could be said of it has none. */
const limitsNow = async (db: Db): Promise<LimitsDocument> => ({ ...NO_LIMITS, ...(await readSetting<LimitsDocument>(db, 'limits')) });

/** How much marketing anybody gets, and when; with the days to come on which nothing goes out. */
export async function sendingView(db: Db): Promise<SendingView> {
  const { now } = await readStore(db);
  const limits = await limitsNow(db);
  const today = new Date(now).toISOString().slice(0, 10);
  const year = new Date(now).getUTCFullYear();
  const holidays = limits.holidaysOf ? [year, year + 1].flatMap((one) => publicHolidays(limits.holidaysOf!, one)) : [];
  return {
    limits,
    tracking: (await readSetting<SendingView['tracking']>(db, 'tracking')) ?? 'unless-no',
    closedDays: [...new Set([...holidays, ...limits.closed])].filter((day) => day >= today).sort(),
  };
}

/** Sets how much marketing anybody gets, and when. Whoever is held now is looked at anew. */
export async function writeLimits(db: Db, body: unknown, by: string): Promise<SendingView> {
  const parsed = limitsInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not limits', 'Nothing was changed.', problemsOf(parsed.error));
  const { holidaysOf } = parsed.data;
  if (holidaysOf && !hasHolidays(holidaysOf))
    throw new Problem(422, 'Not limits', 'Nothing was changed.', [
      { field: 'holidaysOf', wrong: `names no country whose holidays are known: ${holidaysOf}`, right: 'two letters such as NL, or null' },
    ]);
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const before = (await limitsNow(trx)).control;
    const { control, ...rest } = parsed.data;
    // another share draws others: what it shows begins anew
    const since = before?.share === control?.share ? before?.since : new Date(now).toISOString();
    const limits = { ...rest, control: control && { share: control.share, ...(since && { since }) } };
    await writeSetting(trx, 'limits', limits);
    await wakeHeld(trx, now);
    await recordAct(trx, now, by, 'limits.changed', limits);
  });
  return sendingView(db);
}

/** Sets of whom openings and clicks are counted. Segments that ask for it are built anew, and stay rules that do are looked at again. */
export async function writeTracking(db: Db, body: unknown, by: string): Promise<SendingView> {
  const parsed = trackingInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a choice', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    await writeSetting(trx, 'tracking', parsed.data.of);
    await changeWorld(trx);
    const asks = ({ test }: { test: string }) => test === 'tracking';
    await buildAgain(trx, asks, by);
    const flows = (await usesOfTest(trx, asks)).filter(({ kind, where }) => kind === 'flow' && where === 'stay rule');
    await lookAgain(trx, [...new Set(flows.map(({ key }) => key))], now);
    await recordAct(trx, now, by, 'tracking.changed', parsed.data);
  });
  return sendingView(db);
}
