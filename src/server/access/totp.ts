import { createHash, randomBytes } from 'node:crypto';
import { generateSecret, generateURI, verifySync } from 'otplib';
import { sealData, unsealData } from 'iron-session';
import type { SecondFactorView } from '@/core/api';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import {
  beginSecondFactor,
  listMembers,
  noteStep,
  putRecoveryCodes,
  putSecret,
  recoveryCodesLeft,
  secondFactor,
  useRecoveryCode as takeRecoveryCode,
} from '@/data/team';
import { Problem } from '../http';
import { brake } from './brake';
import type { SignedIn } from './session';
import { tellOfChange } from './told';

/** RFC 6238 as authenticator programs have it: six digits, new each 30 seconds; a code before or after the present one is taken, for clocks differ. */
const STEP_SECONDS = 30;
const DRIFT_SECONDS = 30;
const CODES = 10;
const digestOf = (code: string): string => createHash('sha256').update(`recovery:${code}`).digest('hex');
const plain = (code: string): string => code.replace(/[\s-]/g, '').toLowerCase();

/** Which step a code is of, at a moment of the machine's clock; null where it is wrong. */
export function stepOfCode(secret: string, code: string, atMs: number): number | null {
  const token = code.replace(/\s/g, '');
  if (!/^\d{6}$/.test(token)) return null;
  const epoch = Math.floor(atMs / 1000);
  const checked = verifySync({ secret, token, epoch, period: STEP_SECONDS, epochTolerance: DRIFT_SECONDS });
  if (!checked.valid) return null;
  return Math.floor(epoch / STEP_SECONDS) + checked.delta;
}

const open = (sealed: string, key: string): Promise<string> => unsealData<string>(sealed, { password: key, ttl: 0 });

/** Whether the second factor of somebody is asked for. */
export const asksSecond = async (sql: Sql, userId: string): Promise<boolean> => Boolean((await secondFactor(sql, userId))?.since);

/** Codes are guessed as little as passwords, also by who has come by a session. */
const braked = (user: SignedIn): Promise<void> =>
  brake('second factor', user.userId, { times: 10, seconds: 15 * 60 }, 'That was tried too often.');

/** Takes a code of the program, or one of those for when it is lost; each is good once. */
export async function takeSecond(db: Db, userId: string, code: string, key: string, url: () => string): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    const factor = await secondFactor(trx, userId, true);
    if (!factor?.since || !factor.sealed) return true;
    const step = stepOfCode(await open(factor.sealed, key), code, Date.now());
    if (step !== null) {
      if (factor.step !== null && step <= Number(factor.step)) return false;
      await noteStep(trx, userId, step);
      return true;
    }
    if (!(await takeRecoveryCode(trx, userId, digestOf(plain(code))))) return false;
    const [user] = (await listMembers(trx)).filter(({ id }) => id === userId);
    if (user) await tellOfChange(trx, user, 'code-used', url());
    return true;
  });
}

/** How it stands, and the secret where one is being set up. */
export async function secondFactorView(db: Db, user: SignedIn, key: string): Promise<SecondFactorView> {
  const factor = await secondFactor(db, user.userId);
  const secret = factor?.sealed && !factor.since ? await open(factor.sealed, key) : null;
  return {
    since: factor?.since?.toISOString() ?? null,
    codesLeft: factor?.since ? await recoveryCodesLeft(db, user.userId) : 0,
    setup: secret === null ? null : { secret, uri: generateURI({ issuer: 'Viatic', label: user.email, secret }) },
  };
}

/** Draws a secret that is not asked for yet: first it has to be seen that the program has it. */
export async function drawSecret(db: Db, user: SignedIn, key: string): Promise<SecondFactorView> {
  if (await asksSecond(db, user.userId)) throw new Problem(409, 'On already', 'Turn it off first, to set it up on another device.');
  await putSecret(db, user.userId, await sealData(generateSecret(), { password: key, ttl: 0 }));
  return secondFactorView(db, user, key);
}

/** Turns it on by a first code; answers with codes for when the device is lost, which are shown this once. */
export async function turnOn(db: Db, user: SignedIn, code: string, key: string, url: string): Promise<{ codes: string[] }> {
  await braked(user);
  return inTransaction(db, async (trx) => {
    const factor = await secondFactor(trx, user.userId, true);
    if (!factor?.sealed || factor.since) throw new Problem(409, 'Not being set up', 'Begin again: draw another secret.');
    const step = stepOfCode(await open(factor.sealed, key), code, Date.now());
    if (step === null)
      throw new Problem(422, 'Not that code', 'It is not on yet.', [
        { field: 'code', wrong: 'is not the present code', right: 'the six digits that the program shows now' },
      ]);
    const codes = Array.from({ length: CODES }, () => randomBytes(5).toString('hex'));
    await beginSecondFactor(trx, user.userId);
    await noteStep(trx, user.userId, step);
    await putRecoveryCodes(trx, user.userId, codes.map(digestOf));
    await recordAct(trx, (await readStore(trx)).now, user.name, 'second-factor.begun');
    await tellOfChange(trx, user, 'second-on', url);
    return { codes: codes.map((one) => `${one.slice(0, 5)}-${one.slice(5)}`) };
  });
}

/** Turns it off, for whoever has a code of it. */
export async function turnOff(db: Db, user: SignedIn, code: string, key: string, url: string): Promise<void> {
  await braked(user);
  if (!(await takeSecond(db, user.userId, code, key, () => url)))
    throw new Problem(422, 'Not that code', 'It stays on.', [
      { field: 'code', wrong: 'is neither the present code nor one of those for when the device is lost', right: 'one of these' },
    ]);
  await inTransaction(db, async (trx) => {
    await putSecret(trx, user.userId, null);
    await putRecoveryCodes(trx, user.userId, []);
    await recordAct(trx, (await readStore(trx)).now, user.name, 'second-factor.ended');
    await tellOfChange(trx, user, 'second-off', url);
  });
}
