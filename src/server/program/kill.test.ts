import { afterAll, beforeAll, expect, it } from 'vitest';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { query } from '@/data/db';
import { cart, openLab, type Lab } from '../testing/lab';
import { endOf, startWorker, until } from '../testing/worker';

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

const startNow = () => startWorker(lab.url, (server.server.address() as { port: number }).port);

it('a worker killed hard in the middle of 500 due sends, three times over: every person has exactly one mail', async () => {
  await lab.tell(Array.from({ length: PEOPLE }, (_, i) => cart(`p${i}@example.com`, 49)));
  await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 3600000');

  for (const killAt of [40, 170, 330]) {
    const worker = startNow();
    const gone = endOf(worker);
    await until(() => handed >= killAt);
    worker.kill('SIGKILL');
    await gone;
    expect(inbox.size).toBeLessThan(PEOPLE);
  }
  const last = startNow();
  const gone = endOf(last);
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
  expect(repeats).toBeLessThanOrEqual(3 * 3 * 10);
}, 120_000);
