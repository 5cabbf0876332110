import http from 'node:http';
import https from 'node:https';
import { Webhook } from 'standardwebhooks';
import { useAgent as filteringAgent } from 'request-filtering-agent';

/** How long one try may take altogether. */
const LONGEST_MS = 10_000;
/** How much of an answer is read, and how much of it is kept. */
const MOST_READ = 64 * 1024;
const MOST_KEPT = 16 * 1024;

/** What came of one try: an answer, or why there is none; whether another try could help. */
export type Tried =
  | { readonly ok: true; readonly status: number; readonly answer: unknown }
  | { readonly ok: false; readonly status: number | null; readonly because: string; readonly canHelp: boolean };

export interface Call {
  readonly url: string;
  /** the name of the call: the same for each try, so that whoever is called can tell a repeat */
  readonly id: string;
  readonly body: string;
  readonly secret: string;
  /** hosts with their ports on the inside of the network that may be called */
  readonly inside: readonly string[];
}

/**
 * Makes one try of a call: a POST signed by Standard Webhooks. It is not led on to another address, reaches nothing on the inside
 * of the network (the address is looked at after its name is resolved), waits ten seconds altogether, and reads 64 kB at most.
 */
export function tryCall({ url, id, body, secret, inside }: Call): Promise<Tried> {
  const at = new Date();
  return tryPost({
    url,
    body: Buffer.from(body),
    inside,
    headers: {
      'content-type': 'application/json',
      'user-agent': 'Viatic',
      'webhook-id': id,
      'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
      'webhook-signature': new Webhook(secret).sign(id, at, body),
    },
  });
}

/** Makes one POST to an address outside, within the same bounds as a call. */
export function tryPost({
  url,
  headers,
  body,
  inside,
}: {
  readonly url: string;
  readonly headers: { readonly [name: string]: string | number };
  readonly body: Buffer;
  readonly inside: readonly string[];
}): Promise<Tried> {
  const target = new URL(url);
  const isInside = inside.includes(target.host);
  return new Promise((resolve) => {
    let isOver = false;
    const end = (tried: Tried) => {
      if (isOver) return;
      isOver = true;
      clearTimeout(timer);
      request.destroy();
      resolve(tried);
    };
    const fail = (because: string, canHelp = true, status: number | null = null) => end({ ok: false, status, because, canHelp });
    const request = (target.protocol === 'https:' ? https : http).request(target, {
      method: 'POST',
      headers: { ...headers, 'content-length': body.length },
      ...(!isInside && { agent: filteringAgent(url) }),
    });
    const timer = setTimeout(() => fail(`did not answer within ${LONGEST_MS / 1000} seconds`), LONGEST_MS);
    request.on('error', (error) => {
      const isForbidden = /is not allowed/.test(error.message);
      fail(isForbidden ? 'lies on the inside of our network and must not be called' : sayError(error), !isForbidden);
    });
    request.on('response', (response) => {
      const status = response.statusCode ?? 0;
      const chunks: Buffer[] = [];
      let size = 0;
      response.on('data', (chunk: Buffer) => {
        size += chunk.length;
        if (size > MOST_READ) fail(`answered with more than ${MOST_READ / 1024} kB`, false, status);
        else chunks.push(chunk);
      });
      response.on('error', (error) => fail(sayError(error)));
      response.on('end', () => {
        if (status >= 200 && status < 300) end({ ok: true, status, answer: readAnswer(Buffer.concat(chunks)) });
        else if (status >= 300 && status < 400)
          fail(`answered ${status}: it leads to another address, which is not followed`, false, status);
        // what it does not want now it does not want later either, but for "too many" and "took too long"
        else fail(`answered ${status}`, status >= 500 || status === 429 || status === 408, status);
      });
    });
    request.end(body);
  });
}

/** The answer as data, where it is an object of JSON of a size that is kept. */
function readAnswer(raw: Buffer): unknown {
  if (!raw.length || raw.length > MOST_KEPT) return {};
  try {
    const answer: unknown = JSON.parse(raw.toString('utf8'));
    return answer !== null && typeof answer === 'object' && !Array.isArray(answer) ? answer : {};
  } catch {
    return {};
  }
}

function sayError(error: Error): string {
  const { code } = error as { code?: string };
  switch (code) {
    case 'ECONNREFUSED':
      return 'took no connection';
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return 'has a name that is not known';
    case 'ECONNRESET':
      return 'broke the connection off';
    default:
      return `could not be called: ${error.message.slice(0, 200)}`;
  }
}

/** How often an address may lead on to another before it is given up. */
const MOST_LED_ON = 3;

/**
 * Reads a text from outside, such as a feed. Nothing on the inside of the network is reached, where an address leads on to is looked
 * at the same way, and reading ends at so many bytes and after ten seconds. Fails with what was wrong, in words.
 */
export async function fetchText(url: string, inside: readonly string[], mostBytes: number): Promise<string> {
  let at = url;
  for (let led = 0; led <= MOST_LED_ON; led++) {
    const came = await getOnce(at, inside, mostBytes);
    if (!('to' in came)) return came.text;
    if (!URL.canParse(came.to, at)) throw new Error('leads on to what is no address');
    at = new URL(came.to, at).href;
    if (!/^https?:/.test(at)) throw new Error('leads on to what is no address of the web');
  }
  throw new Error(`leads on more than ${MOST_LED_ON} times`);
}

function getOnce(url: string, inside: readonly string[], mostBytes: number): Promise<{ text: string } | { to: string }> {
  const target = new URL(url);
  const isInside = inside.includes(target.host);
  return new Promise((resolve, reject) => {
    const end = (error: string | null, came?: { text: string } | { to: string }) => {
      clearTimeout(timer);
      request.destroy();
      if (came) resolve(came);
      else reject(new Error(error ?? ''));
    };
    const request = (target.protocol === 'https:' ? https : http).request(target, {
      method: 'GET',
      headers: {
        'user-agent': 'Viatic',
        accept: 'application/rss+xml, application/atom+xml, application/feed+json, application/xml, */*;q=0.5',
      },
      ...(!isInside && { agent: filteringAgent(url) }),
    });
    const timer = setTimeout(() => end(`did not answer within ${LONGEST_MS / 1000} seconds`), LONGEST_MS);
    request.on('error', (error) =>
      end(/is not allowed/.test(error.message) ? 'lies on the inside of our network and must not be read' : sayError(error)),
    );
    request.on('response', (response) => {
      const status = response.statusCode ?? 0;
      const { location } = response.headers;
      if (status >= 300 && status < 400 && location) return end(null, { to: location });
      if (status < 200 || status >= 300) return end(`answered ${status}`);
      const chunks: Buffer[] = [];
      let size = 0;
      response.on('data', (chunk: Buffer) => {
        size += chunk.length;
        if (size > mostBytes) end(`is larger than ${Math.round(mostBytes / 1_000_000)} MB`);
        else chunks.push(chunk);
      });
      response.on('error', (error) => end(sayError(error)));
      response.on('end', () => end(null, { text: Buffer.concat(chunks).toString('utf8') }));
    });
    request.end();
  });
}
