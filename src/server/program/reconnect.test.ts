import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { connect, query } from '@/data/db';
import { cart, openLab, type Lab } from '../testing/lab';
import { endOf, startWorker } from '../testing/worker';

let lab: Lab;
let server: SMTPServer;
const taken = new Map<string, number>();
let isRefusing = false;
beforeAll(async () => {
  lab = await openLab();
  server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    onRcptTo: (_address, _session, done) => done(isRefusing ? Object.assign(new Error('come again'), { responseCode: 451 }) : undefined),
    onData(stream, session, done) {
      stream.resume().on('end', () => {
        const to = session.envelope.rcptTo[0] ? session.envelope.rcptTo[0].address : '';
        taken.set(to, (taken.get(to) ?? 0) + 1);
        done();
      });
    },
  });
  server.on('error', () => undefined);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()));
});
afterAll(async () => {
  await new Promise<void>((done) => server.close(() => done()));
  await lab.close();
});

function startNow() {
  const worker = startWorker(lab.url, (server.server.address() as { port: number }).port);
  return { worker, ended: endOf(worker) };
}

it('a disk that is full just as a job’s failure is to be noted leaves no job in the hands of nobody', async () => {
  taken.clear();
  isRefusing = true;
  await query(
    lab.db,
    `create function full_disk() returns trigger language plpgsql as $$ begin if new.last_error is not null
      then raise exception 'could not extend file' using errcode = '53100'; end if; return new; end $$`,
  );
  await query(lab.db, `create trigger full_disk before update on graphile_worker._private_jobs for each row execute function full_disk()`);
  const { worker, ended } = startNow();
  try {
    await lab.tell(Array.from({ length: 3 }, (_, i) => cart(`full${i}@example.com`, 49)));
    await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 3600000');
    // some tries fail, and so does the noting of it
    await new Promise((done) => setTimeout(done, 8000));
    expect(taken.size).toBe(0);
    isRefusing = false;
    await query(lab.db, 'drop trigger full_disk on graphile_worker._private_jobs');
    await expect.poll(() => taken.size, { timeout: 45_000 }).toBe(3);
    expect([...taken.values()]).toEqual([1, 1, 1]);
  } finally {
    worker.kill('SIGTERM');
    expect(await ended).toBe(0);
  }
}, 120_000);

it('a worker whose connections are cut goes on under another number, and what falls due after that goes out once', async () => {
  taken.clear();
  const { worker, ended } = startNow();
  const admin = connect(lab.url, 1);
  const numbers = async () =>
    (await query<{ number: string }>(admin, 'select number from workers order by number')).map((row) => row.number);
  try {
    await expect.poll(numbers, { timeout: 20_000 }).toHaveLength(1);
    const [first] = await numbers();
    for (let time = 0; time < 3; time++) {
      await query(
        admin,
        `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()`,
      );
      await new Promise((done) => setTimeout(done, 300));
    }
    await expect.poll(async () => (await numbers()).filter((number) => number !== first).length, { timeout: 30_000 }).toBeGreaterThan(0);
    await lab.tell(Array.from({ length: 20 }, (_, i) => cart(`p${i}@example.com`, 49)));
    await query(admin, 'update store set clock_offset_ms = clock_offset_ms + 3600000');
    await expect.poll(() => taken.size, { timeout: 40_000 }).toBe(20);
    expect([...taken.values()].every((count) => count === 1)).toBe(true);
    expect(worker.exitCode).toBeNull();
  } finally {
    worker.kill('SIGTERM');
    expect(await ended).toBe(0);
    await admin.destroy();
  }
}, 120_000);
