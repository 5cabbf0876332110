import { createHash, randomBytes } from 'node:crypto';
import { getIronSession, type SessionOptions } from 'iron-session';
import { cookies, headers } from 'next/headers';
import { cache } from 'react';
import type { Role } from '@/core/access';
import { HOUR } from '@/core/time';
import { endSession, endSessions, findSession, listSessions, LONGEST_SESSION_HOURS, startSession } from '@/data/access';
import { database, env } from '../base';
import { callerAddress } from '../http';

/** Somebody who is signed in, and the session by which they are. */
export interface SignedIn {
  readonly userId: string;
  readonly email: string;
  readonly name: string;
  readonly role: Role;
  /** the session's digest, as it is on file */
  readonly session: string;
  /** a second factor or a passkey is asked of everybody, and they have neither: until they do, their account is all they get */
  readonly lacksSecond: boolean;
}

interface Sealed {
  token?: string;
}

const LASTS_MS = LONGEST_SESSION_HOURS * HOUR;

/** What the session's cookie is called where Viatic is at an address. */
export const sessionCookie = (url: string): string => (url.startsWith('https:') ? '__Host-viatic_session' : 'viatic_session');

function options(): SessionOptions {
  return {
    // the prefix keeps a page of another name under the same domain from setting one; browsers take it by https alone (RFC 6265bis, 4.1.3.2)
    cookieName: sessionCookie(env().url),
    password: env().secret,
    ttl: LASTS_MS / 1000,
    cookieOptions: { httpOnly: true, sameSite: 'lax', secure: env().url.startsWith('https:'), path: '/' },
  };
}

/** The cookie names a session; whether that still lasts stands in the database, so that it can be ended there. */
const sealed = async () => getIronSession<Sealed>(await cookies(), options());
const digestOf = (token: string): string => createHash('sha256').update(`session:${token}`).digest('hex');

/** Who is signed in, or null. Asked several times for one page, it looks once. */
export const signedIn = cache(async (): Promise<SignedIn | null> => {
  const { token } = await sealed();
  return token ? findSession(database(), digestOf(token)) : null;
});

/** Begins a session for somebody whose password was right. A session that the browser had before ends. */
export async function beginSession(userId: string): Promise<void> {
  const cookie = await sealed();
  if (cookie.token) await endSession(database(), digestOf(cookie.token));
  const token = randomBytes(32).toString('base64url');
  const asked = await headers();
  await startSession(database(), {
    digest: digestOf(token),
    userId,
    lastsMs: LASTS_MS,
    address: callerAddress(asked),
    agent: (asked.get('user-agent') ?? '').slice(0, 200),
  });
  cookie.token = token;
  await cookie.save();
}

/** Ends the session of the request in hand, here and on the server. */
export async function leaveSession(): Promise<void> {
  const cookie = await sealed();
  if (cookie.token) await endSession(database(), digestOf(cookie.token));
  cookie.destroy();
}

/** Where somebody is signed in; the session of the request in hand is marked. */
export async function sessionsOf(user: SignedIn) {
  return (await listSessions(database(), user.userId)).map(({ digest, ...row }) => ({ ...row, isThis: digest === user.session }));
}

/** Ends all sessions of somebody but the one in hand. Answers with how many. */
export const endOthers = (user: SignedIn): Promise<number> => endSessions(database(), user.userId, user.session);
