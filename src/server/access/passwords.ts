import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';

const derive = promisify<string, Buffer, number, { N: number; r: number; p: number; maxmem: number }, Buffer>(scrypt);
const COST = { N: 2 ** 15, r: 8, p: 1, maxmem: 64 * 1024 * 1024 };

/** Hashes a password with scrypt (RFC 7914) and a salt of its own. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const key = await derive(password.normalize('NFKC'), salt, 32, COST);
  return `scrypt:${COST.N}:${COST.r}:${COST.p}:${salt.toString('base64')}:${key.toString('base64')}`;
}

/** Compares a password with its hash, in the same time whatever the answer. */
export async function checkPassword(password: string, stored: string): Promise<boolean> {
  const [kind, n, r, p, salt, key] = stored.split(':');
  if (kind !== 'scrypt' || !salt || !key) return false;
  const expected = Buffer.from(key, 'base64');
  const given = await derive(password.normalize('NFKC'), Buffer.from(salt, 'base64'), expected.length, {
    N: Number(n),
    r: Number(r),
    p: Number(p),
    maxmem: COST.maxmem,
  });
  return timingSafeEqual(given, expected);
}

/** How an API key is kept: keys are long and random, so a plain digest is enough. */
export function hashKey(key: string): string {
  return createHash('sha256').update(key).digest('hex');
}
