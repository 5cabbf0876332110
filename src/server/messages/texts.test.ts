import { createECDH } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import { Webhook } from 'standardwebhooks';
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import type { Message } from '@/core/messages';
import { query } from '@/data/db';
import { shortLink } from '@/data/messages';
import { happening, openLab, type Lab } from '../testing/lab';
import webpush from 'web-push';
import { byAddress, openWebPush } from './webpush';
import { openGateway } from './gateway';
import { noteTouch } from './touch';

const SECRET = `whsec_${Buffer.from('a secret of twenty-four!').toString('base64')}`;
interface Handed {
  id: string;
  to: string;
  from: string;
  text: string;
  title?: string;
  url?: string;
}
let lab: Lab;
let server: Server;
let textReport: typeof import('./texthook').textReport;
const handed: { path: string; body: Handed }[] = [];
let status = 202;
let gateway = '';
beforeAll(async () => {
  vi.stubEnv('VIATIC_DATABASE_URL', 'postgres://x');
  vi.stubEnv('VIATIC_URL', 'http://localhost:4400');
  vi.stubEnv('VIATIC_SECRET', 'x'.repeat(32));
  vi.stubEnv('VIATIC_SMTP_URL', 'smtp://127.0.0.1:1');
  vi.stubEnv('VIATIC_MAIL_HOOK_SECRET', 'whsec_b3RoZXIgdGhhbiB0aGF0IG9mIHRleHRz');
  vi.stubEnv('VIATIC_TEXT_HOOK_SECRET', SECRET);
  ({ textReport } = await import('./texthook'));
  server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      const raw = Buffer.concat(chunks).toString();
      // a browser whose owner has taken the permission back
      if (request.url === '/browser/gone') return void response.writeHead(410).end();
      try {
        const body = new Webhook(SECRET).verify(raw, request.headers as Record<string, string>) as Handed;
        if (status === 202) handed.push({ path: request.url!, body });
        response.writeHead(status).end('said');
      } catch {
        response.writeHead(401).end('not signed');
      }
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as { port: number };
  gateway = `http://127.0.0.1:${port}`;
  lab = await openLab({
    flow: null,
    gateways: {
      sms: openGateway(`http://127.0.0.1:${port}/sms`, SECRET, 'SMS'),
      push: byAddress(
        openWebPush(webpush.generateVAPIDKeys(), [`127.0.0.1:${port}`]),
        openGateway(`http://127.0.0.1:${port}/push`, SECRET, 'push'),
      ),
    },
  });
});
afterAll(async () => {
  await lab.close();
  await new Promise((resolve) => server.close(resolve));
  vi.unstubAllEnvs();
});
beforeEach(async () => {
  handed.length = 0;
  status = 202;
  await lab.empty('flows', 'flow_versions', 'short_links');
});

const flowOf = (message: Message) => flowWith({ name: 'Texts', steps: [{ id: 'text', kind: 'send', name: 'Text', message }] });
const sms = (text: string): Message => ({ schema: 'viatic.message/1', channel: 'sms', kind: 'marketing', text });
const order = (orderId: string, more: object = {}, consent: object = { sms: true }) =>
  happening('order.placed', {
    orderId,
    value: 40,
    currency: 'EUR',
    url: 'https://shop.example/order/1',
    person: { email: `${orderId}@example.com`, phone: '+447700900123', consent, ...more },
  });
const report = (told: object, secret = SECRET) => {
  const raw = JSON.stringify(told);
  const at = new Date();
  const id = `r-${Math.random()}`;
  const headers = new Headers({
    'webhook-id': id,
    'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
    'webhook-signature': new Webhook(secret).sign(id, at, raw),
  });
  return textReport(lab.db, headers, raw);
};
const states = () =>
  query<{ state: string; reason: string | null; subject: string | null }>(lab.db, 'select state, reason, subject from sends order by id');

describe('a text message', () => {
  it('goes to the gateway, signed, with short links that count, and what became of it is told of', async () => {
    await lab.addFlow('texts', flowOf(sms('Thank you! Follow it: {{ event.url }}')));
    await lab.tell(order('o1'));
    await lab.settle();
    const [{ path, body }] = handed as [(typeof handed)[number]];
    expect(path).toBe('/sms');
    expect(body).toMatchObject({ to: '+447700900123', from: 'Quillfin', id: expect.stringMatching(/^send-\d+$/) as string });
    const code = /^Thank you! Follow it: http:\/\/localhost:4400\/s\/(\w{9})\nReply STOP to end\.$/.exec(body.text)![1]!;
    const link = (await shortLink(lab.db, code))!;
    expect(link.url).toBe('https://shop.example/order/1');
    await noteTouch(lab.db, { purpose: 'click', personId: link.person_id, sendId: link.send_id, url: link.url }, 'message.clicked', null);
    await report({ type: 'message.delivered', id: body.id });
    expect(
      await query(lab.db, 'select state, subject, opened_at is not null as opened, clicked_at is not null as clicked from sends'),
    ).toEqual([{ state: 'delivered', subject: 'Thank you! Follow it: https://shop.example/order/1', opened: true, clicked: true }]);
    expect(
      await query(lab.db, `select type, properties ->> 'channel' as channel from events where type like 'message.%' order by type`),
    ).toEqual(['message.clicked', 'message.delivered', 'message.opened', 'message.sent'].map((type) => ({ type, channel: 'sms' })));
    expect(await shortLink(lab.db, 'nowhere')).toBeNull();
  });

  it('goes to nobody who has not agreed to texts, whatever they agreed to by email', async () => {
    await lab.addFlow('texts', flowOf(sms('Hello')));
    await lab.tell([order('o1', {}, { email: true }), order('o2', { phone: '' })]);
    await lab.settle();
    expect(handed).toEqual([]);
    expect(await query(lab.db, `select saw #>> '{obstacle,kind}' as why from traces where kind = 'skipped' order by 1`)).toHaveLength(2);
  });

  it('that would be more than ten text messages long has failed, and says so', async () => {
    await lab.addFlow('texts', flowOf(sms('{{ person.story | fallback: "" }} Hello')));
    await lab.tell([order('o1', { story: 'x'.repeat(900) }), order('o2', { story: 'x'.repeat(1600) })]);
    await lab.settle();
    expect(handed).toHaveLength(1);
    expect(await states()).toMatchObject([
      { state: 'sent' },
      { state: 'failed', reason: 'filled in it is 11 text messages long, and at most 10 go out as one' },
    ]);
  });

  it('is tried again while the gateway is busy, under the same id, and has failed when it refuses', async () => {
    await lab.addFlow('texts', flowOf(sms('Hello')));
    status = 503;
    await lab.tell(order('o1'));
    await lab.settle().catch(() => undefined);
    expect((await states()).map(({ state }) => state)).toEqual(['queued']);
    status = 400;
    await query(lab.db, `update graphile_worker._private_jobs set run_at = now(), locked_at = null`);
    await lab.settle();
    expect(await states()).toMatchObject([{ state: 'failed', reason: 'the gateway refused it: said' }]);
  });

  it('of which the number does not exist puts the number out of use, and leaves the mailbox as it is', async () => {
    await lab.addFlow('texts', flowOf(sms('Hello')));
    await lab.tell(order('o1'));
    await lab.settle();
    await report({ type: 'message.bounced', id: handed[0]!.body.id, reason: 'number does not exist' });
    expect((await states())[0]!.state).toBe('bounced');
    expect(await query(lab.db, 'select channel, address, reason from suppressions')).toEqual([
      { channel: 'sms', address: '+447700900123', reason: 'bounced' },
    ]);
  });
});

describe('an answer to a text message', () => {
  it('STOP is their own word: no more texts, though the shop goes on saying that they agreed; START takes it back', async () => {
    await lab.addFlow('texts', flowOf(sms('Hello')));
    await lab.tell(order('o1'));
    await lab.settle();
    expect(handed).toHaveLength(1);
    await report({ type: 'text.received', id: 'a1', from: '+44 7700 900123', text: ' stop ' });
    expect(await query(lab.db, `select state, how from consents where channel = 'sms'`)).toEqual([
      { state: 'withdrawn', how: 'answered STOP by SMS' },
    ]);
    await lab.tell(order('o1b', { email: 'o1@example.com' }));
    await lab.settle();
    expect(handed).toHaveLength(1);
    await report({ type: 'text.received', id: 'a2', from: '+447700900123', text: 'START' });
    await lab.tell(order('o1c', { email: 'o1@example.com' }));
    await lab.settle();
    expect(handed).toHaveLength(2);
  });

  it('of a number of nobody is heeded all the same; other words are told as an event', async () => {
    await report({ type: 'text.received', id: 'a1', from: '+447700900999', text: 'STOP' });
    expect(await query(lab.db, 'select channel, address from suppressions')).toEqual([{ channel: 'sms', address: '+447700900999' }]);
    await lab.tell(order('o1'));
    await report({ type: 'text.received', id: 'a2', from: '+447700900123', text: 'When does it come?' });
    await report({ type: 'text.received', id: 'a2', from: '+447700900123', text: 'When does it come?' });
    expect(await query(lab.db, `select properties from events where type = 'message.answered'`)).toEqual([
      { properties: { channel: 'sms', text: 'When does it come?' } },
    ]);
  });

  it('is refused unsigned, and where it is no report of ours', async () => {
    const other = `whsec_${Buffer.from('another secret, forged!!').toString('base64')}`;
    await expect(report({ type: 'text.received', id: 'x', from: '+447700900123', text: 'STOP' }, other)).rejects.toMatchObject({
      status: 401,
    });
    await expect(report({ type: 'message.delivered', id: 'send-999999' })).rejects.toMatchObject({ status: 404 });
    await expect(report({ type: 'message.delivered', id: 'letter-1' })).rejects.toMatchObject({ status: 422 });
    await expect(report({ type: 'text.received', id: 'x', from: 'me', text: 'STOP' })).rejects.toMatchObject({ status: 422 });
  });
});

describe('a message for a locked screen', () => {
  it('goes to the device with title, text and a link that counts', async () => {
    const push: Message = {
      schema: 'viatic.message/1',
      channel: 'push',
      kind: 'service',
      title: 'On its way',
      text: 'Order {{ event.orderId }}',
      url: '{{ event.url }}',
    };
    await lab.addFlow('texts', flowOf(push));
    await lab.tell(order('o1', { pushToken: 'device-token-1' }));
    await lab.settle();
    expect(handed).toMatchObject([
      {
        path: '/push',
        body: { to: 'device-token-1', title: 'On its way', text: 'Order o1', url: expect.stringMatching(/\/s\/\w{9}$/) as string },
      },
    ]);
  });

  it('to a browser that takes no more has failed, and it is not written to again until another is told', async () => {
    const push: Message = { schema: 'viatic.message/1', channel: 'push', kind: 'marketing', title: 'New', text: 'Plants', url: '' };
    await lab.addFlow('texts', flowOf(push));
    const { host } = new URL(gateway);
    const pair = createECDH('prime256v1');
    const token = (name: string) =>
      JSON.stringify({
        endpoint: `http://${host}/browser/${name}`,
        expirationTime: null,
        keys: { p256dh: pair.generateKeys('base64url'), auth: 'BTBZMqHH6r4Tts7J_aSIgg' },
      });
    const gone = token('gone');
    await lab.tell(order('o1', { pushToken: gone }, { push: true }));
    await lab.settle();
    expect(await query(lab.db, 'select state, reason from sends')).toEqual([
      { state: 'failed', reason: 'the browser takes no more messages' },
    ]);
    expect(await query(lab.db, 'select channel, reason from suppressions')).toEqual([{ channel: 'push', reason: 'bounced' }]);
    await lab.tell(order('o2', { pushToken: gone }, { push: true }));
    await lab.tell(order('o3', { pushToken: 'app-token' }, { push: true }));
    await lab.settle();
    expect(handed.map(({ body }) => (body as { to: string }).to)).toEqual(['app-token']);
  });

  it('without a gateway has failed, and says why', async () => {
    const lone = await openGateway('', SECRET, 'push').send({ id: 'x', to: 'y', from: 'z', text: '', contact: 'shop@example.com' });
    expect(lone).toEqual({ taken: false, reason: 'no gateway for push is set up' });
  });
});
