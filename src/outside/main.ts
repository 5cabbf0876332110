import { createServer, type IncomingMessage } from 'node:http';
import { readConfig } from './config';
import { openJournal } from './journal';
import { startMail } from './mail';
import type { Answer, Asked } from './page';
import { openBlog } from './blog';
import { openNames } from './names';
import { openDevices } from './devices';
import { openShop } from './shop';
import { openTexts } from './texts';

/** The stand-ins for the world: mail server and inboxes, handsets, devices, webhook receiver, demo shop. */
const config = readConfig();
const mail = startMail(config);
const blog = openBlog(config);
const names = openNames(config);
const texts = { sms: openTexts(config, 'sms'), push: openTexts(config, 'push') };
const devices = openDevices(config, (text) => texts.push.journal.add(text));
const shop = openShop(config, devices.subscribe);
const LARGEST = 1024 * 1024;

interface Received {
  id: string;
  to: string;
  body: unknown;
  headers: Record<string, string>;
  receivedAt: string;
}
const others = new Map(['webhooks'].map((kind) => [kind, openJournal<Received>(`${config.folder}/${kind}.ndjson`)]));

async function read(request: IncomingMessage): Promise<Asked & { readonly raw: Buffer }> {
  const url = new URL(request.url ?? '/', 'http://outside');
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > LARGEST) throw new Error('too large');
    chunks.push(chunk);
  }
  const raw = Buffer.concat(chunks);
  const body = raw.toString();
  const cookies = Object.fromEntries(
    (request.headers.cookie ?? '')
      .split(/; */)
      .filter(Boolean)
      .map((one) => [one.slice(0, one.indexOf('=')), one.slice(one.indexOf('=') + 1)]),
  );
  return {
    method: request.method ?? 'GET',
    path: url.pathname,
    query: url.searchParams,
    cookies,
    form: new URLSearchParams(body),
    body,
    raw,
  };
}

/** A system of the shop, by the name in the address: one keeps points, one is down, one takes its time. */
async function system(name: string): Promise<Answer> {
  if (name === 'down') return { status: 503, body: 'down' };
  if (name === 'slow') await new Promise((done) => setTimeout(done, 15_000));
  return { status: 200, type: 'application/json', body: JSON.stringify(name === 'points' ? { points: 120, tier: 'reef' } : {}) };
}

/** Rooms of a chat, by their addresses: what is posted to one stands there. */
const chat = openJournal<{ id: string; to: string; from: string; text: string; receivedAt: string }>(`${config.folder}/chat.ndjson`);
function post(room: string, body: string): Answer {
  let text: unknown;
  try {
    text = (JSON.parse(body) as { text?: unknown }).text;
  } catch {
    // not JSON
  }
  if (typeof text !== 'string' || !text) return { status: 400, body: 'no text' };
  chat.add({
    id: String(chat.entries.length + 1),
    to: room,
    from: 'Viatic',
    text: text.slice(0, 8000),
    receivedAt: new Date().toISOString(),
  });
  return { status: 200, body: 'ok' };
}

const list = (found: readonly object[]): Answer => ({ status: 200, type: 'application/json', body: JSON.stringify(found) });

const headersOf = (request: IncomingMessage): Record<string, string> =>
  Object.fromEntries(Object.entries(request.headers).map(([name, value]) => [name, String(value)]));

async function answer(asked: Asked & { readonly raw: Buffer }, request: IncomingMessage): Promise<Answer> {
  const [, , area = '', kind = ''] = asked.path.split('/');
  if (area === 'shop') return shop(asked);
  if (area === 'blog') return blog(asked);
  if (area === 'dns') return names.page(asked);
  if (area === 'api' && asked.method === 'GET') {
    const to = asked.query.get('to')?.toLowerCase() ?? null;
    if (kind === 'mail') return list(to === null ? mail.journal.entries.slice(-200) : mail.journal.entries.filter((one) => one.to === to));
    const journal = kind === 'sms' || kind === 'push' ? texts[kind].journal : kind === 'chat' ? chat : others.get(kind);
    if (journal) return list(to === null ? journal.entries.slice(-200) : journal.entries.filter((one) => one.to === to));
  }
  if ((area === 'sms' || area === 'push') && asked.method === 'POST') {
    // whoever has the handset answers
    if (kind === 'answer') {
      const [from, said] = [asked.form.get('from') ?? '', asked.form.get('text') ?? ''];
      if (!from || !said.trim()) return { status: 400, body: 'nothing to say' };
      await texts[area].answer(from, said.slice(0, 1000));
      return list([]);
    }
    return texts[area].take(headersOf(request), asked.body);
  }
  if (area === 'browsers' && asked.method === 'POST') {
    if (kind !== 'give-up') return devices.take(kind, headersOf(request), asked.raw);
    for (const { id, owner } of devices.journal.entries) if (owner === asked.form.get('owner')) devices.giveUp(id);
    return list([]);
  }
  if (area === 'chat' && asked.method === 'POST') return post(kind, asked.body);
  const receiver = others.get(area);
  if (receiver && asked.method === 'POST') {
    let body: unknown = asked.body;
    try {
      body = JSON.parse(asked.body);
    } catch {
      // kept as it came
    }
    const to = String((body as { to?: unknown } | null)?.to ?? kind).toLowerCase();
    receiver.add({
      id: String(receiver.entries.length + 1),
      to,
      body,
      headers: headersOf(request),
      receivedAt: new Date().toISOString(),
    });
    return area === 'webhooks' ? system(kind) : list([]);
  }
  return { status: 404, body: 'nothing here' };
}

const server = createServer((request, response) => {
  void (async () => {
    let result: Answer;
    try {
      result = await answer(await read(request), request);
    } catch (error) {
      process.stderr.write(`outside: ${(error as Error).message}\n`);
      result = { status: 502, body: `The shop could not do that: ${(error as Error).message.replace(/[<>&]/g, '')}` };
    }
    response.writeHead(result.status, {
      'content-type': result.type ?? 'text/html; charset=utf-8',
      ...(result.location && { location: result.location }),
      ...(result.cookie && { 'set-cookie': result.cookie }),
    });
    response.end(result.body ?? '');
  })();
});
server.listen(config.port, '127.0.0.1', () => process.send?.('ready'));

for (const signal of ['SIGTERM', 'SIGINT'] as const) {
  process.on(signal, () => {
    server.closeAllConnections();
    server.close(() => void mail.close().then(() => process.exit(0)));
    setTimeout(() => process.exit(0), 2000).unref();
  });
}
