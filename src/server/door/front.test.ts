import { createServer, request as ask, type IncomingHttpHeaders, type Server } from 'node:http';
import { afterEach, describe, expect, it } from 'vitest';
import { callerAddress, noteOutage } from '../http';
import { front, type FrontOptions, type Listener } from './front';

let server: Server | null = null;
afterEach(() => new Promise<void>((done) => (server ? server.close(() => done()) : done())));

/** Asks a front door with something behind it; the path goes out as it is written. */
async function through(
  pass: Listener,
  path: string,
  headers: Record<string, string> = {},
  options: Partial<FrontOptions> = {},
): Promise<{ status: number; headers: IncomingHttpHeaders; text: string }> {
  server = createServer(front(pass, { proxies: [], isSecure: false, ...options }) as never);
  await new Promise<void>((done) => server!.listen(0, '127.0.0.1', () => done()));
  const { port } = server.address() as { port: number };
  return new Promise((done, fail) => {
    ask({ port, host: '127.0.0.1', path, headers }, (answer) => {
      let text = '';
      answer.on('data', (chunk) => (text += String(chunk)));
      answer.on('end', () => done({ status: answer.statusCode!, headers: answer.headers, text }));
    })
      .on('error', fail)
      .end();
  });
}
const told: Listener = (request, response) =>
  response.end(
    JSON.stringify({
      address: callerAddress(new Headers(request.headers as Record<string, string>)),
      host: request.headers['x-forwarded-host'] ?? null,
    }),
  );
const addressOf = async (headers: Record<string, string>, proxies: string[]) =>
  JSON.parse((await through(told, '/', headers, { proxies })).text) as { address: string; host: string | null };

describe('who is calling', () => {
  it('is the other end of the connection, whatever it says of itself', async () => {
    expect(
      await addressOf({ 'x-forwarded-for': '203.0.113.9', 'x-forwarded-host': 'evil.example', forwarded: 'for=203.0.113.9' }, []),
    ).toEqual({ address: '127.0.0.1', host: null });
  });
  it('is whom a configured proxy names: the last one that is no proxy of ours, not what was written before', async () => {
    expect(await addressOf({ 'x-forwarded-for': '198.51.100.1, 203.0.113.9', 'x-forwarded-host': 'shop.example' }, ['127.0.0.1'])).toEqual({
      address: '203.0.113.9',
      host: 'shop.example',
    });
    expect((await addressOf({ 'x-forwarded-for': '203.0.113.9, 10.1.2.3' }, ['127.0.0.0/8', '10.0.0.0/8'])).address).toBe('203.0.113.9');
  });
});

describe('an address that cannot be read', () => {
  it.each(['/%', '/%f', '/%ff', '/people/%c0%af', '/form/%00', '/api/v1/people/a%00b', '/%E0%A4%A'])(
    '%s is refused with 400 before anything looks at it, with all its headers',
    async (path) => {
      const answer = await through(() => {
        throw new Error('it came through');
      }, path);
      expect([answer.status, answer.headers['content-type'], answer.headers['x-content-type-options']]).toEqual([
        400,
        'application/problem+json',
        'nosniff',
      ]);
      expect(JSON.parse(answer.text)).toMatchObject({ status: 400, title: 'Malformed address' });
    },
  );
  it.each(['/', '/people/%E9%B1%BC', '/people/100%25', '/people/a%2Fb?x=%ff'])('%s comes through', async (path) =>
    expect((await through(told, path)).status).toBe(200),
  );
});

describe('headers', () => {
  it('what an answer says of itself stands; what it does not say is filled in; over https browsers are told to stay there', async () => {
    const own: Listener = (_request, response) =>
      response.writeHead(200, { 'content-security-policy': "default-src 'none'; sandbox" }).end();
    const { headers } = await through(own, '/files/x', {}, { isSecure: true });
    expect(headers).toMatchObject({
      'content-security-policy': "default-src 'none'; sandbox",
      'referrer-policy': 'strict-origin-when-cross-origin',
      'strict-transport-security': expect.stringContaining('max-age'),
    });
    expect((await through(told, '/')).headers['strict-transport-security']).toBeUndefined();
  });
  it('the nonce is another one each time, and the framework is told the same', async () => {
    const nonces = await Promise.all(
      [1, 2].map(async () => {
        const { headers, text } = await through((request, response) => response.end(request.headers['content-security-policy']), '/flows');
        expect(text).toBe(headers['content-security-policy']);
        return /'nonce-([^']+)'/.exec(text)![1]!;
      }),
    );
    expect(new Set(nonces).size).toBe(2);
    expect(Buffer.from(nonces[0]!, 'base64').length).toBe(16);
  });
  it('an answer that failed because the database is away is a 503 that says when to come again', async () => {
    const failing: Listener = (_request, response) => {
      noteOutage();
      response.writeHead(500).end('x');
    };
    expect(await through(failing, '/people')).toMatchObject({ status: 503, headers: { 'retry-after': '5' } });
    expect((await through((_request, response) => response.writeHead(500).end(), '/people')).status).toBe(500);
  });
});
