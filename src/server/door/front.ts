import { randomBytes } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import onHeaders from 'on-headers';
import proxyAddr from 'proxy-addr';
import { asked, Problem, type Asked } from '../http';
import { DATA_POLICY, HEADERS, OUTSIDE_POLICY, screenPolicy } from './headers';

export type Listener = (request: IncomingMessage, response: ServerResponse) => unknown;

export interface FrontOptions {
  /** addresses and networks (CIDR) of proxies whose word on who is calling counts */
  readonly proxies: readonly string[];
  /** whether people reach us by https: then browsers are told to stay with it */
  readonly isSecure: boolean;
}

/** What a proxy tells of the one who called it; from anybody else it is a stranger's word. */
const FORWARDED = ['x-forwarded-host', 'x-forwarded-proto', 'x-forwarded-port', 'forwarded', 'x-real-ip'];

/**
 * Stands before everything that comes in by HTTP, whatever route it is for: refuses addresses that cannot be read,
 * makes `x-forwarded-for` the one address of who is calling, and sees to it that every answer carries its headers.
 */
export function front(pass: Listener, { proxies, isSecure }: FrontOptions): Listener {
  const trusts = proxyAddr.compile([...proxies]);
  return (request, response) => {
    const path = (request.url ?? '/').split(/[?#]/, 1)[0]!;
    const policy = policyFor(path);
    const own: Asked = { isOutage: false };
    onHeaders(response, () => {
      if (own.isOutage && response.statusCode === 500) {
        response.statusCode = 503;
        response.setHeader('retry-after', '5');
      }
      for (const [name, value] of Object.entries(HEADERS)) if (!response.hasHeader(name)) response.setHeader(name, value);
      if (!response.hasHeader('content-security-policy')) response.setHeader('content-security-policy', policy);
      if (isSecure) response.setHeader('strict-transport-security', 'max-age=31536000');
    });

    const from = request.socket.remoteAddress ?? '';
    if (!trusts(from, 0)) for (const name of FORWARDED) delete request.headers[name];
    request.headers['x-forwarded-for'] = proxyAddr(request, trusts);
    // the framework takes the nonce for its scripts from here
    request.headers['content-security-policy'] = policy;

    const problem = unreadable(path);
    if (!problem) return asked().run(own, () => pass(request, response));
    const { status, title, detail } = problem;
    response
      .writeHead(status, { 'content-type': 'application/problem+json' })
      .end(JSON.stringify({ type: 'about:blank', title, status, detail }));
    request.resume();
  };
}

function policyFor(path: string): string {
  if (path.startsWith('/api/') || path.startsWith('/files/')) return DATA_POLICY;
  return path.startsWith('/outside/') ? OUTSIDE_POLICY : screenPolicy(randomBytes(16).toString('base64'));
}

/** What is wrong with the path of an address, or null: bytes that are no UTF-8, and U+0000, which no text on file can hold. */
function unreadable(path: string): Problem | null {
  if (!path.includes('%')) return null;
  try {
    return decodeURIComponent(path).includes('\u0000')
      ? new Problem(400, 'Malformed address', 'The address holds a character that no text can hold (U+0000).')
      : null;
  } catch {
    return new Problem(400, 'Malformed address', 'The address holds a % that is no escape of UTF-8.');
  }
}
