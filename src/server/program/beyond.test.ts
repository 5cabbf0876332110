import { mkdtempSync, readdirSync, rmSync, chmodSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { connect, migrate, query, type Db } from '@/data/db';
import { createStore, readStore } from '@/data/store';
import { ensurePackages, copyCluster, serversFolder, startCluster, startPooler, type Cluster } from '../../../scripts/cluster.mjs';
import { calendarOf, listOfBroadcasts } from '../broadcasts';
import { ingest } from '../ingest';
import { cartsReport, cohorts, lifts, predictions, revenueReport, testViews } from '../revenue';
import { cart, happening, openLab } from '../testing/lab';
import { endOf, startWorker, until } from '../testing/worker';

const folder = mkdtempSync(join(tmpdir(), 'viatic-beyond-'));
chmodSync(folder, 0o755);
const running: { stop(): Promise<unknown> }[] = [];
const pools: Db[] = [];
afterAll(async () => {
  for (const db of pools) await db.destroy();
  for (const one of running.reverse()) await one.stop();
  rmSync(folder, { recursive: true, force: true });
});
const open = (url: string, prepares = true): Db => {
  const db = connect(url, 4, { prepares });
  pools.push(db);
  return db;
};
const order = (n: number) =>
  happening('order.placed', {
    orderId: `o${n}`,
    currency: 'EUR',
    value: 40 + n,
    person: { email: `p${n}@example.com`, consent: { email: true } },
  });

describe('behind PgBouncer, in transaction mode', () => {
  it('events are taken in, runs move and mails go out once each, also as a worker is killed', async () => {
    ensurePackages(['pgbouncer']);
    const lab = await openLab();
    const admin = inject('databaseUrl');
    const cluster = {
      port: Number(new URL(admin).port),
      place: '',
      url: (name: string) => admin.replace(/\/[^/]*$/, `/${name}`),
      stop: async () => {},
    };
    const pooler = await startPooler(cluster, join(folder, 'pooler'));
    running.push(pooler);
    const inbox = new Map<string, string>();
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['STARTTLS', 'AUTH'],
      logger: false,
      onData(stream, session, done) {
        let head = '';
        stream.on('data', (chunk: Buffer) => (head += chunk.toString('latin1')));
        stream.on('end', () => {
          inbox.set(/^message-id:\s*(\S+)/im.exec(head)?.[1] ?? '', session.envelope.rcptTo[0]!.address);
          done();
        });
      },
    });
    server.on('error', () => undefined);
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()));
    const name = new URL(lab.url).pathname.slice(1);
    const pooled = open(pooler.url(name), false);
    const carts = Array.from({ length: 200 }, (_, n) => cart(`p${n}@example.com`, 49));
    // many at once share few connections
    await Promise.all(Array.from({ length: 10 }, (_, n) => ingest(pooled, carts.slice(n * 20, n * 20 + 20))));
    await query(pooled, 'update store set clock_offset_ms = clock_offset_ms + 3600000');
    const { port } = server.server.address() as { port: number };
    const start = () => startWorker(pooler.url(name), port, { VIATIC_SESSION_DATABASE_URL: lab.url });
    const first = start();
    await until(() => inbox.size >= 60);
    const killed = endOf(first);
    first.kill('SIGKILL');
    await killed;
    const second = start();
    await until(() => inbox.size >= 200);
    await until(
      async () => (await query<{ n: number }>(lab.db, `select count(*)::int as n from sends where state = 'queued'`))[0]!.n === 0,
    );
    const ended = endOf(second);
    second.kill('SIGTERM');
    expect(await ended).toBe(0);
    expect(new Set(inbox.values()).size).toBe(200);
    expect(await query(lab.db, 'select state, count(*)::int as n from sends group by 1')).toEqual([{ state: 'sent', n: 200 }]);
    await new Promise<void>((done) => server.close(() => done()));
    await pools.splice(pools.indexOf(pooled), 1)[0]!.destroy();
    await lab.close();
  }, 120_000);
});

describe('a second cluster', () => {
  let primary: Cluster;
  let db: Db;
  const archive = join(folder, 'archive');
  beforeAll(async () => {
    primary = await startCluster(join(folder, 'primary'), {
      isThrowaway: true,
      settings: { archive_mode: 'on', archive_command: `cp %p ${serversFolder(archive)}/%f`, shared_buffers: '64MB' },
    });
    running.push(primary);
    const admin = open(primary.url('postgres'));
    await query(admin, 'create database viatic');
    db = open(primary.url('viatic'));
    await migrate(db, primary.url('viatic'));
    await createStore(db, {
      name: 'Quillfin',
      address: 'Sluiskade 14',
      fromEmail: 'hello@quillfin.example',
      currency: 'EUR',
      zone: 'Europe/Amsterdam',
    });
    await ingest(db, [1, 2, 3].map(order));
  }, 120_000);

  it('follows the first, and reports are read from it: the same figures, and nothing is written there', async () => {
    copyCluster(primary, join(folder, 'standby'), { follows: true });
    const standby = await startCluster(join(folder, 'standby'), { settings: { shared_buffers: '64MB' } });
    running.push(standby);
    const there = open(standby.url('viatic'));
    expect(await query(there, 'select pg_is_in_recovery() as is')).toEqual([{ is: true }]);
    await ingest(db, [order(4)]);
    await until(async () => (await query(there, `select 1 from orders where order_id = 'o4'`)).length > 0, 20_000);
    const url = new URL('http://x/');
    const reports: { readonly [name: string]: (from: Db) => Promise<unknown> } = {
      revenue: (from) => revenueReport(from, url),
      carts: (from) => cartsReport(from, url),
      cohorts: (from) => cohorts(from, url),
      tests: (from) => testViews(from),
      lift: (from) => lifts(from, url),
      predictions: (from) => predictions(from),
      broadcasts: (from) => listOfBroadcasts(from),
      calendar: (from) => calendarOf(from, url),
    };
    const steady = (report: unknown): string =>
      JSON.stringify(report, (name, value: unknown) => (['from', 'to', 'now', 'at'].includes(name) ? null : value));
    for (const [name, read] of Object.entries(reports)) expect(steady(await read(there)), name).toBe(steady(await read(db)));
    await expect(query(there, `update store set name = 'x'`)).rejects.toMatchObject({ code: '25006' });
  }, 120_000);

  it('is brought to a moment before a mistake, out of a backup and the log put away since', async () => {
    const rules = copyCluster(primary, join(folder, 'restored'), { archive, until: '2000-01-01' });
    await ingest(db, [order(5)]);
    const [{ at }] = (await query<{ at: string }>(db, 'select clock_timestamp()::text as at')) as [{ at: string }];
    await new Promise((done) => setTimeout(done, 50));
    // the mistake, and the log of it put away
    await query(db, 'delete from orders');
    await query(db, 'select pg_switch_wal()');
    const put = readdirSync(archive).length;
    await ingest(db, [order(6)]);
    await query(db, 'select pg_switch_wal()');
    await until(() => readdirSync(archive).length >= put + 1, 30_000);
    const restored = await startCluster(join(folder, 'restored'), {
      settings: { ...rules, recovery_target_time: at, shared_buffers: '64MB' },
    });
    running.push(restored);
    const back = open(restored.url('viatic'));
    await until(async () => !(await query<{ is: boolean }>(back, 'select pg_is_in_recovery() as is'))[0]!.is, 30_000);
    const orders = async (from: Db) =>
      (await query<{ id: string }>(from, 'select order_id as id from orders order by 1')).map(({ id }) => id);
    expect(await orders(back)).toEqual(['o1', 'o2', 'o3', 'o4', 'o5']);
    expect(await orders(db)).toEqual(['o6']);
    // and it goes on from there
    await ingest(back, [order(7)]);
    expect(await orders(back)).toContain('o7');
    expect((await readStore(back)).name).toBe('Quillfin');
  }, 120_000);
});
