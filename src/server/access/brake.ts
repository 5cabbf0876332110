import { RateLimiterMemory, RateLimiterPostgres, RateLimiterRes, type RateLimiterAbstract } from 'rate-limiter-flexible';
import type { Db } from '@/data/db';
import { Problem } from '../http';

/** How often something may be tried within some seconds. */
interface Pace {
  readonly times: number;
  readonly seconds: number;
}

/** Takes one of the tries; answers with how long to wait when there are none left, in milliseconds, else null. */
async function take(limiter: RateLimiterAbstract, key: string): Promise<number | null> {
  try {
    await limiter.consume(key);
    return null;
  } catch (error) {
    if (error instanceof RateLimiterRes) return error.msBeforeNext;
    throw error;
  }
}

// by process: a brake for strangers, not a ledger
const byProcess = new Map<string, RateLimiterMemory>();

/** Refuses with 429 and the time to wait when something was tried too often at this process. */
export async function brake(what: string, who: string, { times, seconds }: Pace, detail: string): Promise<void> {
  let limiter = byProcess.get(what);
  if (!limiter) byProcess.set(what, (limiter = new RateLimiterMemory({ keyPrefix: what, points: times, duration: seconds })));
  const waitMs = await take(limiter, who);
  if (waitMs !== null) throw tooOften(detail, waitMs);
}

/** The refusal of what was tried too often: why in words, and the time to wait in milliseconds, said and in `Retry-After`. */
export function tooOften(detail: string, waitMs: number): Problem {
  return new Problem(429, 'Too often', `${detail} Wait ${sayWait(waitMs)}, then try again.`, [], {
    'retry-after': String(Math.ceil(waitMs / 1000)),
  });
}

const PACES = { account: { times: 10, seconds: 15 * 60 }, address: { times: 40, seconds: 15 * 60 } } as const;

type SignInBrake = ReturnType<typeof makeSignInBrake>;
// each clears away after itself now and then: one for the process
const bySignIn = new WeakMap<Db, SignInBrake>();

/** Brakes on signing in, the same for all web processes: by account, and by the address from which it is tried. */
export function signInBrake(db: Db): SignInBrake {
  let known = bySignIn.get(db);
  if (!known) bySignIn.set(db, (known = makeSignInBrake(db)));
  return known;
}

/** The same with a pace of its own. */
export function makeSignInBrake(db: Db, pace: { readonly [by in keyof typeof PACES]: Pace } = PACES) {
  const by = (name: keyof typeof PACES) =>
    new RateLimiterPostgres({
      storeClient: db,
      storeType: 'knex',
      tableName: 'brakes',
      tableCreated: true,
      clearExpiredByTimeout: true,
      keyPrefix: `sign-in ${name}`,
      points: pace[name].times,
      duration: pace[name].seconds,
    });
  const [account, address] = [by('account'), by('address')];
  return {
    /** Takes a try before the password is looked at, so that many at once count as many; answers with the time to wait, or null. */
    async take(email: string, from: string): Promise<number | null> {
      return (await take(address, from)) ?? (await take(account, email.toLowerCase()));
    },
    /** A right password gives back what was taken. */
    async giveBack(email: string, from: string): Promise<void> {
      await account.delete(email.toLowerCase());
      await address.reward(from, 1);
    },
  };
}

/** A time to wait in words, rounded up: "40 seconds", "4 minutes". */
export function sayWait(ms: number): string {
  const seconds = Math.max(1, Math.ceil(ms / 1000));
  const [count, unit] = seconds < 90 ? [seconds, 'second'] : [Math.ceil(seconds / 60), 'minute'];
  return `${count} ${unit}${count === 1 ? '' : 's'}`;
}
