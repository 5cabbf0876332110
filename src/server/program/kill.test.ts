import { spawn, type ChildProcess } from 'node:child_process';
import { resolve } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { query } from '@/data/db';
import { cart, openLab, type Lab } from '../testing/lab';

const PEOPLE = 500;
let lab: Lab;
let server: SMTPServer;
/** What an inbox shows: a server drops a message whose Message-ID it has had before. */
const inbox = new Map<string, string>();
let repeats = 0;
let handed = 0;

beforeAll(async () => {
  lab = await openLab();
  server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    onData(stream, session, done) {
      simpleParser(stream, {}).then(
        (mail) => {
          handed += 1;
          if (inbox.has(mail.messageId!)) repeats += 1;
          else inbox.set(mail.messageId!, session.envelope.rcptTo[0]!.address);
          done();
        },
        () => done(new Error('cut off')),
      );
    },
  });
  server.on('error', () => undefined);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()));
});
afterAll(async () => {
  await new Promise<void>((done) => server.close(() => done()));
  await lab.close();
});

function startWorker(): ChildProcess {
  const { port } = server.server.address() as { port: number };
  return spawn(process.execPath, ['--import', 'tsx', resolve('src/server/program/worker.ts')], {
    stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
    env: {
      ...process.env,
      VIATIC_DATABASE_URL: lab.url,
      VIATIC_URL: 'http://localhost:4400',
      VIATIC_SECRET: 'x'.repeat(32),
      VIATIC_SMTP_URL: `smtp://127.0.0.1:${port}`,
      VIATIC_MAIL_HOOK_SECRET: 'whsec_x',
      VIATIC_TEXT_HOOK_SECRET: 'whsec_x',
      VIATIC_LOG: 'warn',
    },
  });
}
const until = async (is: () => Promise<boolean> | boolean, patienceMs = 60_000) => {
  const deadline = Date.now() + patienceMs;
  while (!(await is())) {
    if (Date.now() > deadline) throw new Error('waited in vain');
    await new Promise((done) => setTimeout(done, 5));
  }
};

it('a worker killed hard in the middle of 500 due sends, three times over: every person has exactly one mail', async () => {
  await lab.tell(Array.from({ length: PEOPLE }, (_, i) => cart(`p${i}@example.com`, 49)));
  await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 3600000');

  for (const killAt of [40, 170, 330]) {
    const worker = startWorker();
    const gone = new Promise((done) => worker.on('exit', done));
    await until(() => handed >= killAt);
    worker.kill('SIGKILL');
    await gone;
    expect(inbox.size).toBeLessThan(PEOPLE);
  }
  const last = startWorker();
  const gone = new Promise<number | null>((done) => last.on('exit', (code) => done(code)));
  await until(() => inbox.size === PEOPLE);
  await until(
    async () => (await query<{ open: number }>(lab.db, `select count(*)::int as open from sends where state = 'queued'`))[0]!.open === 0,
  );
  last.kill('SIGTERM');
  expect(await gone).toBe(0);

  expect(new Set(inbox.values()).size).toBe(PEOPLE);
  expect(await query(lab.db, 'select state, count(*)::int as n from sends group by 1')).toEqual([{ state: 'sent', n: PEOPLE }]);
  expect(await query(lab.db, 'select count(*)::int as n from workers')).toEqual([{ n: 0 }]);
  // between the server's yes and our note of it lies the line of exactly-once: at most what was in hand at each kill
  expect(repeats).toBeLessThanOrEqual(3 * 3 * 4);
}, 120_000);
