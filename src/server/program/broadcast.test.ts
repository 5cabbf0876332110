import type { ChildProcess } from 'node:child_process';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { SMTPServer } from 'smtp-server';
import { documentOf, freshBroadcast } from '@/core/broadcasts';
import { letter } from '@/core/flows/testing/asking';
import { localClock, localDate } from '@/core/time';
import { query } from '@/data/db';
import { switchFlow } from '../flows';
import { openLab, type Lab } from '../testing/lab';
import { endOf, memoryOf, startWorker, until } from '../testing/worker';

/** As many as a broadcast goes to here; `npm run faults` asks for ten times as many. */
const PEOPLE = Number(process.env.VIATIC_BROADCAST_PEOPLE ?? 20_000);
const PATIENCE_MS = 60_000 + PEOPLE * 20;
const ZONE = 'Europe/Amsterdam';

let lab: Lab;
let server: SMTPServer;
/** Who got what, by the number that tells mails apart: a server drops a message whose Message-ID it has had before. */
const inbox = new Map<string, string>();
let repeats = 0;
const workers: ChildProcess[] = [];

beforeAll(async () => {
  lab = await openLab({ flow: null });
  server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    onData(stream, session, done) {
      let head = '';
      stream.on('data', (chunk: Buffer) => {
        if (head.length < 4_000) head += chunk.toString('latin1');
      });
      stream.on('end', () => {
        const id = /^message-id:\s*(\S+)/im.exec(head)?.[1] ?? '';
        if (inbox.has(id)) repeats += 1;
        else inbox.set(id, session.envelope.rcptTo[0]!.address);
        done();
      });
      stream.on('error', () => done(new Error('cut off')));
    },
  });
  server.on('error', () => undefined);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()));
  // as an import would have stored them, who agreed to be written to
  await query(
    lab.db,
    `insert into people (id, external_id, external_at, attributes, stamped, created_at, seen_at)
     select n, 'c' || n, now(), jsonb_build_object('email', 'p' || n || '@d' || n % 50 || '.example', 'firstName', 'P' || n), '{}', now(), now()
     from generate_series(1, cast(:many as int)) n`,
    { many: PEOPLE },
  );
  await query(
    lab.db,
    `insert into consents (person_id, channel, state, at, how) select id, 'email', 'given', now(), 'told by the shop' from people`,
  );
  await query(lab.db, 'analyze');
}, PATIENCE_MS);
afterAll(async () => {
  for (const worker of workers) worker.kill('SIGKILL');
  await new Promise<void>((done) => server.close(() => done()));
  await lab.close();
});

const start = (): ChildProcess => {
  const worker = startWorker(lab.url, (server.server.address() as { port: number }).port);
  workers.push(worker);
  return worker;
};
const kill = async (worker: ChildProcess): Promise<void> => {
  const gone = endOf(worker);
  worker.kill('SIGKILL');
  await gone;
};
const count = async (sql: string): Promise<number> => (await query<{ n: number }>(lab.db, `select count(*)::int as n from ${sql}`))[0]!.n;

it(
  `a broadcast to ${PEOPLE.toLocaleString('en-IE')} people, its workers killed and it stopped in the middle: nobody twice, nobody missed`,
  async () => {
    const at = (await lab.now()) + 120_000;
    const { minutes } = localClock(at, ZONE);
    const two = (n: number) => String(n).padStart(2, '0');
    const { id: _, kind: __, ...content } = letter('hello');
    const broadcast = freshBroadcast(`${localDate(at, ZONE)}T${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`, content);
    await lab.addFlow('all', documentOf(broadcast, 'all', { name: 'All' }));
    await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 180000');

    // killed while people are still being told
    let worker = start();
    await until(async () => (await count('flow_occasions where told_to > 0')) > 0, PATIENCE_MS);
    await kill(worker);
    expect(await count(`events where type = 'flow.due'`)).toBeLessThan(PEOPLE);

    // killed as the first go out
    worker = start();
    await until(() => inbox.size >= PEOPLE * 0.05, PATIENCE_MS);
    await kill(worker);

    // stopped in the middle: what is on its way is kept back, and nothing more goes out
    worker = start();
    await until(() => inbox.size >= PEOPLE * 0.3, PATIENCE_MS);
    const early = memoryOf(worker);
    await switchFlow(lab.db, 'all', 'paused', 'Marla');
    for (let before = -1; before !== inbox.size;) {
      before = inbox.size;
      await new Promise((done) => setTimeout(done, 1_500));
    }
    const stoppedAt = inbox.size;
    expect(stoppedAt).toBeLessThan(PEOPLE);
    await kill(worker);
    worker = start();
    await new Promise((done) => setTimeout(done, 3_000));
    expect(inbox.size).toBe(stoppedAt);

    await switchFlow(lab.db, 'all', 'on', 'Marla');
    await until(() => inbox.size >= PEOPLE * 0.7, PATIENCE_MS);
    await kill(worker);
    worker = start();
    await until(() => inbox.size >= PEOPLE, PATIENCE_MS);
    const late = memoryOf(worker);
    await until(async () => (await count(`sends where state = 'queued'`)) === 0, PATIENCE_MS);
    const gone = endOf(worker);
    worker.kill('SIGTERM');
    expect(await gone).toBe(0);

    expect(new Set(inbox.values()).size).toBe(PEOPLE);
    expect(inbox.size).toBe(PEOPLE);
    expect(await query(lab.db, 'select state, count(*)::int as n from sends group by 1')).toEqual([{ state: 'sent', n: PEOPLE }]);
    expect(await count('runs where entered_at is not null')).toBe(PEOPLE);
    expect(await count('flow_occasions')).toBe(0);
    // between the server's yes and our note of it lies the line of exactly-once: at most what was in hand at each kill
    expect(repeats).toBeLessThanOrEqual(3 * 3 * 10);
    // what a worker holds does not grow with what it has sent
    expect(late).toBeLessThan(early + 150);
  },
  PATIENCE_MS * 2,
);
