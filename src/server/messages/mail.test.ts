import { connect, createServer, type AddressInfo, type Socket } from 'node:net';
import { SMTPServer } from 'smtp-server';
import { afterEach, expect, it } from 'vitest';
import { openMailer, TooSlow, type Envelope, type Mailer } from './mail';

const closing: (() => unknown)[] = [];
afterEach(async () => {
  for (const close of closing.splice(0).reverse()) await close();
});

const mail = (n: number): Envelope => ({
  from: { name: 'Quillfin', address: 'post@quillfin.example' },
  to: { name: 'Robin', address: `robin.${n}@example.com` },
  subject: `Mail ${n}`,
  html: '<p>Hello</p>',
  text: 'Hello',
  messageId: `<send-${n}@quillfin.example>`,
  unsubscribeUrl: null,
  date: new Date('2026-11-24T09:30:00Z'),
});

/** A mail server that counts how often it is connected to and what it is given. */
async function sink(): Promise<{ url: string; connections: () => number; mails: string[] }> {
  let connections = 0;
  const mails: string[] = [];
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    onConnect: (_, done) => (connections++, done()),
    onData(stream, session, done) {
      stream.resume();
      stream.on('end', () => (mails.push((session.envelope.rcptTo[0] as { address: string }).address), setTimeout(done, 5)));
    },
  });
  await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready));
  closing.push(() => new Promise<void>((done) => server.close(done)));
  return { url: `smtp://127.0.0.1:${(server.server.address() as AddressInfo).port}`, connections: () => connections, mails };
}
const open = (url: string, options: Parameters<typeof openMailer>[1]): Mailer => {
  const mailer = openMailer(url, options);
  closing.push(() => mailer.close());
  return mailer;
};

it('many mails go over few connections: none is opened for each', async () => {
  const server = await sink();
  const mailer = open(server.url, { connections: 3 });
  await Promise.all(Array.from({ length: 40 }, (_, n) => mailer.send(mail(n))));
  expect(new Set(server.mails).size).toBe(40);
  expect(server.connections()).toBeLessThanOrEqual(3);
});

it.each([
  { how: 'while others go on', stallMs: 0 },
  { how: 'as the machine comes back from a standstill', stallMs: 80 },
])('what has waited too long for a connection is not handed over behind the back of who was told so: $how', async ({ stallMs }) => {
  let sockets: Socket[] = [];
  let isWell = false;
  const server = await sink();
  const { port } = new URL(server.url);
  // hangs at first: takes connections and says nothing
  const before = createServer((socket) => {
    socket.on('error', () => undefined);
    if (!isWell) return void sockets.push(socket);
    socket.pipe(connect(Number(port), '127.0.0.1')).pipe(socket);
  });
  await new Promise<void>((ready) => before.listen(0, '127.0.0.1', ready));
  closing.push(() => {
    for (const socket of sockets) socket.destroy();
    before.close();
  });
  const mailer = open(`smtp://127.0.0.1:${(before.address() as AddressInfo).port}`, { connections: 2, longestMs: 300 });
  const trying = Array.from({ length: 6 }, (_, n) => mailer.send(mail(n)));
  for (const one of trying) one.catch(() => undefined);
  if (stallMs) {
    await new Promise((connected) => setTimeout(connected, 260));
    for (const until = Date.now() + stallMs; Date.now() < until;);
  }
  const tried = await Promise.allSettled(trying);
  expect(tried.every((one) => one.status === 'rejected')).toBe(true);
  expect(tried.some((one) => one.status === 'rejected' && one.reason instanceof TooSlow)).toBe(true);
  isWell = true;
  for (const socket of sockets) socket.destroy();
  sockets = [];
  await mailer.send(mail(100));
  await new Promise((done) => setTimeout(done, 200));
  expect(server.mails).toEqual(['robin.100@example.com']);
});

it('connections that a server keeps busy without end are left to it: others are opened, and mails go on', async () => {
  const server = await sink();
  const { port } = new URL(server.url);
  let isWell = false;
  const sockets: Socket[] = [];
  const timers: NodeJS.Timeout[] = [];
  // says something again and again, so that no time-out of the connection ever ends it
  const before = createServer((socket) => {
    sockets.push(socket);
    socket.on('error', () => undefined);
    if (isWell) return void socket.pipe(connect(Number(port), '127.0.0.1')).pipe(socket);
    socket.write('220 here\r\n');
    socket.once('data', () => timers.push(setInterval(() => socket.write('250-wait\r\n'), 20)));
  });
  await new Promise<void>((ready) => before.listen(0, '127.0.0.1', ready));
  closing.push(() => {
    for (const timer of timers) clearInterval(timer);
    for (const socket of sockets) socket.destroy();
    before.close();
  });
  const mailer = open(`smtp://127.0.0.1:${(before.address() as AddressInfo).port}`, { connections: 2, longestMs: 400 });
  const tried = await Promise.allSettled([0, 1, 2, 3].map((n) => mailer.send(mail(n))));
  expect(tried.every((one) => one.status === 'rejected' && one.reason instanceof TooSlow)).toBe(true);
  isWell = true;
  expect(await mailer.send(mail(100))).toEqual({ taken: true });
  expect(server.mails).toEqual(['robin.100@example.com']);
});
