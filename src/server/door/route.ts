import { SpanKind, SpanStatusCode } from '@opentelemetry/api';
import { constraintOf, isOutage, isUnfit, traced, type Db } from '@/data/db';
import { mayDo, sayMayNot, type Needs } from '@/core/access';
import { SCOPES, type Scope } from '@/core/sources';
import { findKey, HAND_SOURCE } from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import { hashKey, signedIn, type SignedIn } from '../access';
import { database, env, log, reportsDatabase } from '../base';
import { Problem } from '../http';

/** Who is calling: a person who is signed in, or a key. */
export interface Caller {
  readonly name: string;
  readonly isKey: boolean;
  /** what the caller may do; a person may do all of it */
  readonly scopes: readonly Scope[];
  /** the source of what the caller sends in */
  readonly sourceId: number;
  /** the person, where it is one */
  readonly user: SignedIn | null;
}

export interface Call {
  readonly request: Request;
  readonly url: URL;
  /** the parts of the address that stand for something, decoded once */
  readonly params: Readonly<Record<string, string>>;
  readonly caller: Caller;
  readonly db: Db;
}

type Context = { params: Promise<Record<string, string | string[] | undefined>> };
export type Handler = (request: Request, context?: Context) => Promise<Response>;

/** Answers with JSON. */
export function json(body: unknown, status = 200, headers: Record<string, string> = {}): Response {
  return new Response(JSON.stringify(body), {
    status,
    headers: { 'content-type': 'application/json', 'cache-control': 'no-store', ...headers },
  });
}

/** Answers that it is done, and nothing else. */
export const done = (): Response => new Response(null, { status: 204 });

const receipts = new WeakMap<Response, object>();

/**
 * Answers what was written. Whoever may read gets it as it now stands; a key that may only write gets the receipt: the
 * names under which what it wrote is found again, and nothing that was on file.
 */
export function written(body: unknown, receipt: object, status = 200, headers: Record<string, string> = {}): Response {
  const answer = json(body, status, headers);
  receipts.set(answer, receipt);
  return answer;
}

/** What a key may do for a request, in words. */
const MAY: Record<Scope, string> = { events: 'send events', read: 'read', write: 'change things' };
const ANYONE: Caller = { name: 'anyone', isKey: false, scopes: [], sourceId: HAND_SOURCE, user: null };

async function callerOf(request: Request, db: Db, needs: Needs): Promise<Caller> {
  const header = request.headers.get('authorization');
  if (header) {
    const key = /^Bearer +(\S+)$/i.exec(header)?.[1];
    // looked up with each request: one that is revoked works no longer than the request in hand
    const found = key ? await findKey(db, hashKey(key)) : null;
    if (!found)
      throw new Problem(401, 'Not authorised', 'This key is not valid. Send Authorization: Bearer followed by a key of this store.');
    if (needs === 'self' || needs === 'owner')
      throw new Problem(403, 'Not for keys', 'This belongs to a person who is signed in; no key can do it.');
    if (!found.scopes.includes(needs))
      throw new Problem(
        403,
        'Not allowed',
        `The key “${found.name}” may not ${MAY[needs]}. It has: ${found.scopes.join(', ') || 'nothing'}; this needs: ${needs}.`,
      );
    return { name: `key ${found.name}`, isKey: true, scopes: found.scopes, sourceId: found.id, user: null };
  }
  const user = await signedIn();
  if (!user) throw new Problem(401, 'Not authorised', 'Sign in, or send Authorization: Bearer followed by a key of this store.');
  // a cookie is sent along by other sites' pages too: what changes something must come from ours
  const origin = request.headers.get('origin');
  if (
    isWrite(request) &&
    origin !== null &&
    (!URL.canParse(origin) || new URL(origin).host !== (request.headers.get('host') ?? new URL(env().url).host))
  ) {
    throw new Problem(403, 'Not from here', 'This request comes from another site.');
  }
  if (user.lacksSecond && !(needs === 'self' && OF_ACCOUNT.test(placeOf(request))))
    throw new Problem(
      403,
      'A second factor first',
      'Everybody here signs in with a second factor or a passkey. Set one up on your account first.',
    );
  if (!mayDo(user.role, needs, request.method, placeOf(request))) {
    log.warn({ refused: `${request.method} ${placeOf(request)}`, user: user.userId, role: user.role }, 'not for this role');
    throw new Problem(403, 'Not for your role', sayMayNot(user.role));
  }
  return { name: user.name, isKey: false, scopes: SCOPES, sourceId: HAND_SOURCE, user };
}

/** What somebody may ask for who has to set up a second factor first: their account, and what they were told of. */
const OF_ACCOUNT = /^\/(account|notices)(\/|$)/;
/** The address of a request within the public interface. */
const placeOf = (request: Request): string => new URL(request.url).pathname.replace(/^\/api\/v1/, '');
const isWrite = (request: Request): boolean => !['GET', 'HEAD'].includes(request.method);

/**
 * Wraps the handler of an API route: refuses who is not known, answers problems as problem details, and an
 * unexpected error with a 500 that tells nothing of our insides. A key needs the scope that is named, or that of the
 * method: `read` to get, `write` for everything else; a person needs a role that may do it. What is somebody's own (`self`)
 * or the owners' (`owner`) no key does.
 */
export function route(handler: (call: Call) => Promise<Response>, access?: Needs | 'anyone', from = database): Handler {
  return tracedRoute(async (request, context) => {
    try {
      const db = database();
      const needs = access ?? (isWrite(request) ? 'write' : 'read');
      const caller = needs === 'anyone' ? ANYONE : await callerOf(request, db, needs);
      const call = await callOf(request, context, caller, from());
      const answer = await handler(call);
      await noteFile(db, call, answer);
      return needs === 'write' && caller.isKey && !caller.scopes.includes('read') ? withoutReading(answer) : answer;
    } catch (error) {
      return problemOf(error, request).response();
    }
  });
}

/** The address of a request with its parts under their names; where one cannot be told from the rest, no more than that it is an address. */
export function routeOf(pathname: string, params: Awaited<Context['params']>): string {
  const named = new Map(Object.entries(params).flatMap(([name, value]) => [value ?? []].flat().map((one) => [one, name] as const)));
  let found = 0;
  const parts = pathname.split('/').map((part) => {
    let said = part;
    try {
      said = decodeURIComponent(part);
    } catch {
      // as it is
    }
    const name = named.get(said) ?? named.get(part);
    if (name) found += 1;
    return name ? `{${name}}` : part;
  });
  return found >= named.size ? parts.join('/') : '/…';
}

/** A request as a span, named by its route: what its address says of whom is no part of it. */
const tracedRoute =
  (handler: Handler): Handler =>
  async (request, context) => {
    const path = routeOf(new URL(request.url).pathname, (await context?.params) ?? {});
    const attributes = { 'http.request.method': request.method, 'http.route': path };
    return traced(`${request.method} ${path}`, { kind: SpanKind.SERVER, attributes, headers: request.headers }, async (span) => {
      const answer = await handler(request, context);
      span.setAttribute('http.response.status_code', answer.status);
      if (answer.status >= 500) span.setStatus({ code: SpanStatusCode.ERROR });
      return answer;
    });
  };

/** What of a request for a file says which it was; the rest (words that were looked for, filters) may be about people. */
const SAYS_WHICH = ['what', 'format', 'list', 'segment'];

/** Whoever takes a file of what is here away stands in the log. */
async function noteFile(db: Db, { url, params, caller }: Call, answer: Response): Promise<void> {
  const file = /^attachment; filename="([^"]*)"/.exec(answer.headers.get('content-disposition') ?? '')?.[1];
  if (!answer.ok || file === undefined) return;
  const asked = SAYS_WHICH.flatMap((name) => (url.searchParams.has(name) ? [[name, url.searchParams.get(name)!.slice(0, 80)]] : []));
  await recordAct(db, (await readStore(db)).now, caller.name, 'file.taken', {
    file,
    from: routeOf(url.pathname, params),
    ...Object.fromEntries(asked),
  });
}

/** The same for reports, which are read from a copy that follows the database, where there is one. */
export const reportRoute = (handler: (call: Call) => Promise<Response>): Handler => route(handler, 'read', reportsDatabase);

/** The same for pages that people without an account see: problems are said on a page, too. */
export function publicRoute(handler: (call: Call) => Promise<Response>, say: (problem: Problem) => Response): Handler {
  return tracedRoute(async (request, context) => {
    try {
      return await handler(await callOf(request, context, ANYONE, database()));
    } catch (error) {
      return say(problemOf(error, request));
    }
  });
}

async function callOf(request: Request, context: Context | undefined, caller: Caller, db: Db): Promise<Call> {
  const url = new URL(request.url);
  const params = Object.fromEntries(
    Object.entries((await context?.params) ?? {}).map(([name, value]) => [name, Array.isArray(value) ? value.join('/') : (value ?? '')]),
  );
  for (const [field, value] of [...Object.entries(params), ...url.searchParams, ['address', decodeURIComponent(url.pathname)] as const]) {
    if (value.includes('\u0000') || field.includes('\u0000'))
      throw new Problem(400, 'Malformed address', 'The address holds a character that no text can hold (U+0000).', [
        { field: field.replaceAll('\u0000', ''), wrong: 'holds the character U+0000', right: 'text without control characters' },
      ]);
  }
  return { request, url, params, caller, db };
}

/** An answer to a write as a key may see it that must not read: its receipt, or just that it is done. */
function withoutReading(answer: Response): Response {
  if (!answer.ok || answer.body === null) return answer;
  const receipt = receipts.get(answer);
  const headers = Object.fromEntries(
    ['etag', 'location'].flatMap((name) => (answer.headers.has(name) ? [[name, answer.headers.get(name)!]] : [])),
  );
  return receipt ? json(receipt, answer.status, headers) : new Response(null, { status: 204, headers });
}

/** Whether a request does no more when it comes twice: all but the making of something new, for which nobody has given a name yet. */
function isRepeatable(request: Request): boolean {
  const { pathname } = new URL(request.url);
  return request.method !== 'POST' || !pathname.startsWith('/api/v1/') || pathname === '/api/v1/events';
}

/** What an error is to whoever asked. What was wrong with the request names its place; what went wrong on our side is logged. */
export function problemOf(error: unknown, request: Request): Problem {
  if (error instanceof Problem) return error;
  const taken = constraintOf(error);
  if (taken) return new Problem(409, 'There already', `Somebody has just made the same (${taken}). Look again, then decide.`);
  log.error({ path: new URL(request.url).pathname, error: (error as Error).stack });
  if (isUnfit(error))
    return new Problem(
      400,
      'Cannot be stored',
      'Something in this request is not of a form that can be stored or looked for, such as a number out of range.',
    );
  if (isOutage(error)) {
    const again = isRepeatable(request)
      ? 'The same request may safely come again in a few seconds: what was done already is not done twice.'
      : 'Whether it was done is not known; look before you try again.';
    return new Problem(503, 'Not at the moment', `The database cannot be reached or is out of room. ${again}`, [], { 'retry-after': '5' });
  }
  return new Problem(
    500,
    'Our mistake',
    'Something went wrong on our side; it has been logged. Look whether it was done before you try again.',
  );
}

/** The person who is asking: some things no key can do. */
export function personAsking(caller: Caller): SignedIn {
  if (!caller.user) throw new Problem(403, 'Not for keys', 'This belongs to a person who is signed in; no key can do it.');
  return caller.user;
}
