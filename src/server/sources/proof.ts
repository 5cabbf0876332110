import { errors, jwtVerify } from 'jose';
import { externalIdProblem, isOfficeMailbox, normaliseEmail } from '@/core/people';
import { MINUTE } from '@/core/time';
import type { Db } from '@/data/db';
import { identifiersOf } from '@/data/people';
import { ownerOfSend } from '@/data/messages';
import { snippetSites, type SourceRow } from '@/data/sources';
import { env } from '../base';
import { openLink, sealLink, type LinkToken } from '../messages';

/** Who is at a page, shown by something that a stranger cannot make: by external id, address, or both. */
export interface Proven {
  readonly subject?: string;
  readonly email?: string;
}

/** Why a token is not taken, in words for whoever writes the shop's server. */
export class NotProven extends Error {}

/** The longest that a token of a shop's server may be valid for. */
const LONGEST_S = 24 * 3600;

/**
 * Reads a token by which a shop's server says who is signed in there: a JSON Web Token (RFC 7519) with HMAC-SHA256 over
 * the source's secret; `sub` is the external id, `email` the address, `exp` at most a day ahead.
 */
export async function readToken(source: Pick<SourceRow, 'secret'>, token: string): Promise<Proven> {
  let payload: { sub?: string; email?: unknown; exp?: number };
  try {
    ({ payload } = await jwtVerify(token, new TextEncoder().encode(source.secret ?? ''), {
      algorithms: ['HS256'],
      clockTolerance: 60,
      requiredClaims: ['exp'],
    }));
  } catch (error) {
    throw new NotProven(
      error instanceof errors.JWTExpired
        ? 'the token has expired'
        : error instanceof errors.JWTClaimValidationFailed
          ? `the token’s ${error.claim} is missing or wrong`
          : 'the token is not signed with this source’s secret (HS256)',
    );
  }
  if (payload.exp! > Date.now() / 1000 + LONGEST_S + 60) throw new NotProven('the token is valid for more than a day');
  const email = typeof payload.email === 'string' ? normaliseEmail(payload.email) : null;
  if (payload.email !== undefined && !email) throw new NotProven('the token’s email is not an email address');
  const { sub } = payload;
  if (sub !== undefined && (typeof sub !== 'string' || !sub || sub.length > 255 || sub.includes('\u0000') || externalIdProblem(sub)))
    throw new NotProven('the token’s sub is not an external id');
  if (!sub && !email) throw new NotProven('the token says nobody: it needs sub, email or both');
  return { ...(sub && { subject: sub }), ...(email && { email }) };
}

/** How long after a click in a mail the page that it led to may still say so. */
const ARRIVES_MS = 10 * MINUTE;
const ARRIVED = 'viatic_who';

/** An address of the shop to which a click in our mail leads, with our seal of who clicked: only where one of the store's own snippets stands. */
export async function withProof(db: Db, address: string, click: Pick<LinkToken, 'personId' | 'sendId'>): Promise<string> {
  const url = new URL(address);
  if (!(await snippetSites(db)).includes(url.origin)) return address;
  url.searchParams.set(
    ARRIVED,
    sealLink(env().secret, { purpose: 'arrive', personId: click.personId, sendId: click.sendId, url: String(Date.now() + ARRIVES_MS) }),
  );
  return url.href;
}

/** Who clicked, by our seal: whoever the message went to has by now what identifies them best. Null when it is too late, or not ours. */
export async function readArrival(db: Db, seal: string): Promise<Proven | null> {
  const link = openLink(env().secret, seal, 'arrive');
  if (!link || !(Number(link.url) > Date.now())) return null;
  const personId = (await ownerOfSend(db, link.sendId))?.person_id;
  if (!personId) return null;
  const own = (await identifiersOf(db, personId)).filter((one) => !one.is_shared);
  const subject = own.find((one) => one.kind === 'external')?.value;
  const email = own.find((one) => one.kind === 'email' && !isOfficeMailbox(one.value))?.value;
  return subject ? { subject } : email ? { email } : null;
}
