import { getIronSession, type SessionOptions } from 'iron-session';
import { cookies } from 'next/headers';
import { env } from './env';

export interface SignedIn {
  readonly email: string;
  readonly name: string;
}

interface SessionData {
  user?: SignedIn;
}

function options(): SessionOptions {
  return {
    cookieName: 'viatic_session',
    password: env().secret,
    ttl: 14 * 24 * 3600,
    cookieOptions: { httpOnly: true, sameSite: 'lax', secure: env().url.startsWith('https:'), path: '/' },
  };
}

/** The sealed session cookie of the request in hand. */
export async function session() {
  return getIronSession<SessionData>(await cookies(), options());
}

/** Who is signed in, or null. */
export async function signedIn(): Promise<SignedIn | null> {
  return (await session()).user ?? null;
}
