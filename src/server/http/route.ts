import type { Db } from '@/data/db';
import { nameOfKey } from '@/data/access';
import { database } from '../database';
import { env } from '../env';
import { log } from '../log';
import { hashKey } from '../passwords';
import { signedIn } from '../session';
import { Problem } from './problem';

/** Who is calling: a person who is signed in, or a key. */
export interface Caller {
  readonly name: string;
  readonly isKey: boolean;
}

export interface Call {
  readonly request: Request;
  readonly url: URL;
  readonly params: Readonly<Record<string, string>>;
  readonly caller: Caller;
  readonly db: Db;
  /** tells this database from others in memory that is kept between calls */
  readonly scope: string;
}

type Context = { params: Promise<Record<string, string | string[] | undefined>> };

/** Answers with JSON. */
export function json(body: unknown, status = 200, headers: Record<string, string> = {}): Response {
  return new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json', 'cache-control': 'no-store', ...headers } });
}

// a key that was valid a moment ago is not looked up for each of a thousand requests
const recentKeys = new Map<string, { name: string; until: number }>();

async function callerOf(request: Request, db: Db): Promise<Caller> {
  const header = request.headers.get('authorization');
  if (header) {
    const key = /^Bearer +(\S+)$/i.exec(header)?.[1];
    if (key) {
      const hash = hashKey(key);
      const recent = recentKeys.get(hash);
      if (recent && recent.until > Date.now()) return { name: `key ${recent.name}`, isKey: true };
      const name = await nameOfKey(db, hash);
      if (name) {
        if (recentKeys.size > 1000) recentKeys.clear();
        recentKeys.set(hash, { name, until: Date.now() + 5000 });
        return { name: `key ${name}`, isKey: true };
      }
    }
    throw new Problem(401, 'Not authorised', 'This key is not valid. Send Authorization: Bearer followed by a key of this store.');
  }
  const user = await signedIn();
  if (!user) throw new Problem(401, 'Not authorised', 'Sign in, or send Authorization: Bearer followed by a key of this store.');
  // a cookie is sent along by other sites' pages too: what changes something must come from ours
  const isWrite = !['GET', 'HEAD'].includes(request.method);
  const origin = request.headers.get('origin');
  if (isWrite && origin !== null && new URL(origin).host !== (request.headers.get('host') ?? new URL(env().url).host)) {
    throw new Problem(403, 'Not from here', 'This request comes from another site.');
  }
  return { name: user.name, isKey: false };
}

/**
 * Wraps the handler of an API route: refuses who is not known, answers problems as problem details, and an
 * unexpected error with a 500 that tells nothing of our insides.
 */
export function route(handler: (call: Call) => Promise<Response>, access: 'known' | 'anyone' = 'known') {
  return async (request: Request, context?: Context): Promise<Response> => {
    try {
      const db = database();
      const caller = access === 'known' ? await callerOf(request, db) : { name: 'anyone', isKey: false };
      const params = Object.fromEntries(Object.entries((await context?.params) ?? {}).map(([name, value]) => [name, decode(Array.isArray(value) ? value.join('/') : (value ?? ''))]));
      return await handler({ request, url: new URL(request.url), params, caller, db, scope: env().databaseUrl });
    } catch (error) {
      if (error instanceof Problem) return error.response();
      // U+0000 in an address: PostgreSQL cannot hold it in a text
      if ((error as { code?: string }).code === '22021') return new Problem(400, 'Malformed text', 'The address holds a character that no text can hold (U+0000).').response();
      log.error({ path: new URL(request.url).pathname, error: (error as Error).stack });
      return new Problem(500, 'Our mistake', 'Something went wrong on our side; it has been logged. Nothing was stored.').response();
    }
  };
}

function decode(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    throw new Problem(400, 'Malformed address', 'The address holds a % that is not an escape.');
  }
}
