import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, chmodSync, readFileSync, rmSync } from 'node:fs';
import { createConnection } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import pg from 'pg';

interface Demo {
  readonly npm: ChildProcess;
  readonly said: () => string;
  readonly ended: Promise<void>;
}
/** A machine that is busy with other work may take minutes for what takes seconds. */
const PATIENT = { timeout: 300_000 };
let folder = '';
let port = 0;
const open: Demo[] = [];
test.beforeAll(async () => {
  const { freePort } = (await import('../scripts/cluster.mjs' as string)) as { freePort(): Promise<number> };
  folder = mkdtempSync(join(tmpdir(), 'viatic-demo-'));
  chmodSync(folder, 0o755);
  port = await freePort();
});
test.afterAll(async () => {
  for (const { npm } of open) npm.kill('SIGTERM');
  await Promise.all(open.map((demo) => demo.ended));
  rmSync(folder, { recursive: true, force: true });
});

/** Starts `npm run demo` as somebody would, on the build that the tests have made. */
async function start(): Promise<Demo> {
  const npm = spawn('npm', ['run', 'demo'], {
    env: { ...process.env, PORT: String(port), VIATIC_DATA: folder, VIATIC_PEOPLE: '60', VIATIC_DIST: '.next-test' },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  for (const stream of [npm.stdout!, npm.stderr!]) stream.on('data', (chunk) => (said += String(chunk)));
  const demo: Demo = { npm, said: () => said, ended: new Promise((done) => npm.on('exit', () => done())) };
  open.push(demo);
  await expect.poll(() => said, PATIENT).toContain('Viatic is ready');
  return demo;
}
const health = async (): Promise<string> => {
  try {
    return (
      (await (await fetch(`http://127.0.0.1:${port}/api/v1/health`, { signal: AbortSignal.timeout(3000) })).json()) as { status: string }
    ).status;
  } catch {
    return 'no answer';
  }
};
const isListening = (): Promise<boolean> =>
  new Promise((done) => {
    const probe = createConnection({ host: '127.0.0.1', port }, () => {
      probe.destroy();
      done(true);
    });
    probe.on('error', () => done(false));
  });
const programs = (): number[] => (JSON.parse(readFileSync(join(folder, 'run.json'), 'utf8')) as { pid: number }[]).map(({ pid }) => pid);
const postmaster = (): string[] => readFileSync(join(folder, 'postgres', 'postmaster.pid'), 'utf8').split('\n');
const database = async <T>(work: (client: pg.Client) => Promise<T>): Promise<T> => {
  const client = new pg.Client({
    host: '127.0.0.1',
    port: Number(postmaster()[3]),
    user: 'viatic',
    database: 'viatic',
    password: readFileSync(join(folder, 'postgres-password'), 'utf8').trim(),
  });
  client.on('error', () => {});
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end().catch(() => {});
  }
};

test('the demo outlives what dies under it, ends when npm is told to, and starts again after any kind of end', async () => {
  test.setTimeout(1_800_000);
  const first = await start();
  expect(await health()).toBe('ok');

  // one database backend: the whole cluster recovers, and everything with it
  await database(async (client) => {
    const { rows } = await client.query<{ pid: number }>(
      `select pid from pg_stat_activity where datname = 'viatic' and pid <> pg_backend_pid() limit 1`,
    );
    process.kill(rows[0]!.pid, 'SIGKILL');
  });
  await new Promise((done) => setTimeout(done, 1500));
  await expect.poll(health, PATIENT).toBe('ok');
  expect(first.npm.exitCode).toBeNull();

  // each of the programs
  for (const pid of programs()) process.kill(pid, 'SIGKILL');
  await new Promise((done) => setTimeout(done, 1500));
  await expect.poll(health, PATIENT).toBe('ok');

  // the database altogether
  process.kill(Number(postmaster()[0]), 'SIGKILL');
  await new Promise((done) => setTimeout(done, 1500));
  await expect.poll(health, PATIENT).toBe('ok');

  const people = () => database(async (client) => (await client.query<{ n: string }>('select count(*) as n from people')).rows[0]!.n);
  const before = await people();
  first.npm.kill('SIGTERM');
  await first.ended;
  await expect.poll(isListening, PATIENT).toBe(false);

  // npm killed hard: the demo notices that nobody is left who started it
  const second = await start();
  expect(await people()).toBe(before);
  second.npm.kill('SIGKILL');
  await expect.poll(isListening, PATIENT).toBe(false);

  // all of it killed hard, the database too: the next start finds its way
  const third = await start();
  const demo = Number(readFileSync(`/proc/${third.npm.pid}/task/${third.npm.pid}/children`, 'utf8').trim().split(' ')[0]);
  const all = [
    demo,
    ...readFileSync(`/proc/${demo}/task/${demo}/children`, 'utf8').trim().split(' ').filter(Boolean).map(Number),
    Number(postmaster()[0]),
  ];
  for (const pid of all) process.kill(pid, 'SIGKILL');
  const fourth = await start();
  await expect.poll(health, PATIENT).toBe('ok');
  expect(await people()).toBe(before);
  fourth.npm.kill('SIGINT');
  await fourth.ended;
  await expect.poll(isListening, PATIENT).toBe(false);
});
