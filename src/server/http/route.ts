import { isOutage, type Db } from '@/data/db';
import { findKey, HAND_SOURCE, type Scope } from '@/data/sources';
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
  /** the source of what the caller sends in */
  readonly sourceId: number;
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
interface RecentKey { readonly id: number; readonly name: string; readonly scopes: readonly Scope[]; readonly until: number }
const recentKeys = new Map<string, RecentKey>();

/** What a key must be allowed to do for a request. */
const NEEDS: Record<Scope, string> = { events: 'send events', read: 'read', write: 'change things' };

async function callerOf(request: Request, db: Db, scope: string, needs: Scope): Promise<Caller> {
  const byKey = (key: RecentKey): Caller => {
    if (!key.scopes.includes(needs)) throw new Problem(403, 'Not allowed', `The key “${key.name}” may not ${NEEDS[needs]}. It has: ${key.scopes.join(', ') || 'nothing'}; this needs: ${needs}.`);
    return { name: `key ${key.name}`, isKey: true, sourceId: key.id };
  };
  const header = request.headers.get('authorization');
  if (header) {
    const key = /^Bearer +(\S+)$/i.exec(header)?.[1];
    if (key) {
      const hash = hashKey(key);
      const known = `${scope} ${hash}`;
      const recent = recentKeys.get(known);
      if (recent && recent.until > Date.now()) return byKey(recent);
      const found = await findKey(db, hash);
      if (found) {
        if (recentKeys.size > 1000) recentKeys.clear();
        const fresh = { ...found, until: Date.now() + 2000 };
        recentKeys.set(known, fresh);
        return byKey(fresh);
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
  return { name: user.name, isKey: false, sourceId: HAND_SOURCE };
}

/**
 * Wraps the handler of an API route: refuses who is not known, answers problems as problem details, and an
 * unexpected error with a 500 that tells nothing of our insides. A key needs the scope that is named, or that of the
 * method: `read` to get, `write` for everything else.
 */
export function route(handler: (call: Call) => Promise<Response>, access?: Scope | 'anyone') {
  return async (request: Request, context?: Context): Promise<Response> => {
    try {
      const db = database();
      const needs = access ?? (['GET', 'HEAD'].includes(request.method) ? 'read' : 'write');
      const caller = needs === 'anyone' ? { name: 'anyone', isKey: false, sourceId: HAND_SOURCE } : await callerOf(request, db, env().databaseUrl, needs);
      const params = Object.fromEntries(Object.entries((await context?.params) ?? {}).map(([name, value]) => [name, decode(Array.isArray(value) ? value.join('/') : (value ?? ''))]));
      return await handler({ request, url: new URL(request.url), params, caller, db, scope: env().databaseUrl });
    } catch (error) {
      if (error instanceof Problem) return error.response();
      // U+0000 in an address: PostgreSQL cannot hold it in a text
      if ((error as { code?: string }).code === '22021') return new Problem(400, 'Malformed text', 'The address holds a character that no text can hold (U+0000).').response();
      log.error({ path: new URL(request.url).pathname, error: (error as Error).stack });
      if (isOutage(error)) return new Problem(503, 'Not at the moment', 'The database cannot be reached or is out of room; nothing was stored. Try again in a few seconds.').response();
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
