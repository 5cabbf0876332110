import { generateKeyPairSync } from 'node:crypto';
import { appendFileSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { createServer as createSocket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import nodemailer from 'nodemailer';
import { Webhook } from 'standardwebhooks';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { openJournal } from './journal';
import { startMail } from './mail';

const SECRET = 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw';
const PEMS = {
  modulusLength: 2048,
  privateKeyEncoding: { type: 'pkcs8', format: 'pem' },
  publicKeyEncoding: { type: 'spki', format: 'der' },
} as const;
const KEYS = generateKeyPairSync('rsa', PEMS);
const DNS = `v=DKIM1; k=rsa; p=${KEYS.publicKey.toString('base64')}`;
let folder: string;
let hooks: Server;
let reports: { type: string; messageId: string }[];
let received: string[];
let mail: ReturnType<typeof startMail>;
let smtpPort: number;

const freePort = () =>
  new Promise<number>((done) => {
    const probe = createSocket().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => done(port));
    });
  });
const until = async (is: () => boolean) => {
  for (let i = 0; i < 400 && !is(); i++) await new Promise((done) => setTimeout(done, 10));
  expect(is()).toBe(true);
};

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'viatic-mail-'));
  reports = [];
  received = [];
  // whoever takes the reports checks their signature, as the application does
  hooks = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk) => (body += String(chunk)));
    request.on('end', () => {
      const headers = request.headers as Record<string, string>;
      if (request.url === '/api/hooks/mail/received') {
        // what is no JSON is verified before it is read
        expect(() => new Webhook(SECRET).verify(body, headers)).toThrow(SyntaxError);
        received.push(body);
      } else reports.push(new Webhook(SECRET).verify(body, headers) as (typeof reports)[number]);
      response.end('{}');
    });
  });
  await new Promise<void>((done) => hooks.listen(0, '127.0.0.1', () => done()));
  smtpPort = await freePort();
  mail = startMail({
    port: 0,
    smtpPort,
    viaticUrl: `http://127.0.0.1:${(hooks.address() as { port: number }).port}`,
    apiKey: '',
    mailHookSecret: SECRET,
    textHookSecret: '',
    dkimRecord: DNS,
    folder,
  });
});
afterEach(async () => {
  await mail.close();
  await new Promise((done) => hooks.close(done));
  rmSync(folder, { recursive: true, force: true });
});

const send = (to: string, messageId: string, more: object = {}) =>
  nodemailer.createTransport({ host: '127.0.0.1', port: smtpPort }).sendMail({
    from: 'Quillfin <hello@quillfin.example>',
    to,
    subject: 'Schöne Grüße',
    text: 'text',
    html: '<a href="https://shop.example/?a=1&amp;b=2">x</a>',
    messageId,
    ...more,
  });

it('puts a mail into the inbox of its address, with headers, both parts and its links, and reports it delivered', async () => {
  await send('Robin@Example.com', '<1@x>', { headers: { 'List-Unsubscribe': '<https://v.example/leave>' } });
  expect(mail.journal.entries).toMatchObject([
    {
      id: '1',
      to: 'robin@example.com',
      subject: 'Schöne Grüße',
      text: 'text',
      links: ['https://shop.example/?a=1&b=2'],
      headers: { 'list-unsubscribe': '<https://v.example/leave>' },
    },
  ]);
  await until(() => reports.length === 1);
  expect(reports).toEqual([{ type: 'message.delivered', messageId: '<1@x>' }]);
});

it('drops a repeated Message-ID, but says yes to it and reports it again', async () => {
  await send('robin@example.com', '<1@x>');
  await send('robin@example.com', '<1@x>');
  await send('robin@example.com', '<2@x>');
  expect(mail.journal.entries.map((one) => one.messageId)).toEqual(['<1@x>', '<2@x>']);
  await until(() => reports.length === 3);
});

it('says whether a mail is signed soundly (DKIM, RFC 6376), and in whose name', async () => {
  const dkim = { domainName: 'quillfin.example', keySelector: 'viatic', privateKey: KEYS.privateKey };
  await send('robin@example.com', '<1@x>', { dkim });
  await send('robin@example.com', '<2@x>');
  const other = generateKeyPairSync('rsa', PEMS).privateKey;
  await send('robin@example.com', '<3@x>', { dkim: { ...dkim, privateKey: other } });
  expect(mail.journal.entries.map(({ signature }) => signature)).toEqual(['pass (quillfin.example)', 'none', 'fail (quillfin.example)']);
});

it('reports by mail in standard form: no mailbox (RFC 3464), a complaint (RFC 5965)', async () => {
  await send('dsn.robin@example.com', '<1@x>');
  await send('abuse.robin@example.com', '<2@x>');
  await until(() => received.length === 2);
  expect(received.sort()).toEqual([
    expect.stringMatching(/delivery-status[\s\S]*Status: 5\.1\.1[\s\S]*Message-ID: <1@x>/),
    expect.stringMatching(/feedback-report[\s\S]*Feedback-Type: abuse[\s\S]*Message-ID: <2@x>/),
  ]);
});

it('refuses, puts off, bounces and complains by address', async () => {
  await expect(send('refuse.me@example.com', '<1@x>')).rejects.toMatchObject({ responseCode: 550 });
  await expect(send('later@example.com', '<2@x>')).rejects.toMatchObject({ responseCode: 451 });
  await send('later@example.com', '<2@x>');
  await send('bounce@example.com', '<3@x>');
  await send('complain@example.com', '<4@x>');
  await until(() => reports.length === 4);
  expect(reports.map((one) => `${one.type} ${one.messageId}`).sort()).toEqual([
    'message.bounced <3@x>',
    'message.complained <4@x>',
    'message.delivered <2@x>',
    'message.delivered <4@x>',
  ]);
});

it('a connection cut in the middle of a mail leaves nothing in the inbox and the server standing', async () => {
  const { connect } = await import('node:net');
  const socket = connect(smtpPort, '127.0.0.1');
  for (const line of ['', 'EHLO me', 'MAIL FROM:<a@x.example>', 'RCPT TO:<robin@example.com>', 'DATA']) {
    if (line) socket.write(`${line}\r\n`);
    await new Promise((done) => socket.once('data', done));
  }
  socket.write('Subject: half\r\n\r\nhal');
  socket.resetAndDestroy();
  await send('robin@example.com', '<5@x>');
  expect(mail.journal.entries.map((one) => one.messageId)).toEqual(['<5@x>']);
});

it('the journal is there after a start, without the line that a crash cut short', () => {
  const file = join(folder, 'j.ndjson');
  const first = openJournal<{ n: number }>(file);
  first.add({ n: 1 });
  first.add({ n: 2 });
  appendFileSync(file, '{"n": 3');
  expect(openJournal<{ n: number }>(file).entries).toEqual([{ n: 1 }, { n: 2 }]);
});
