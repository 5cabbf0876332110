// npm run faults: breaks one thing after another under load and counts what was accepted, found and mailed; see docs/reliability.md.
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensurePackages, freePort, isRoot, startCluster } from './cluster.mjs';
import { load } from './modules.mjs';

ensurePackages(['postgresql']);
const stack = await load();
const { default: pg } = await import('pg');
const { SMTPServer } = await import('smtp-server');
const { simpleParser } = await import('mailparser');
const wanted = process.argv.slice(2);
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

/** A mail server that does as it is told: `well`, `hang` (says nothing), `refuse` (421), `slow` (a second a mail), or slow for one domain only. */
async function startMailServer() {
  const inbox = new Map();
  const counts = { handed: 0, repeats: 0 };
  let mode = 'well';
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    closeTimeout: 500,
    onConnect: (_session, done) =>
      mode === 'hang' ? undefined : done(mode === 'refuse' ? Object.assign(new Error('not now'), { responseCode: 421 }) : undefined),
    onRcptTo: ({ address }, _session, done) => (mode === 'domain' && address.endsWith('@slow.example') ? undefined : done()),
    onData(stream, session, done) {
      simpleParser(stream, {}).then(
        async (mail) => {
          if (mode === 'hang') return;
          if (mode === 'slow') await pause(1000);
          counts.handed += 1;
          // a server drops a message whose Message-ID it has had before (common practice)
          if (inbox.has(mail.messageId)) counts.repeats += 1;
          else inbox.set(mail.messageId, { to: session.envelope.rcptTo[0].address, at: Date.now() });
          done();
        },
        () => done(new Error('cut off')),
      );
    },
  });
  server.on('error', () => undefined);
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  return {
    inbox,
    counts,
    port: server.server.address().port,
    set: (next) => (mode = next),
    close: () => new Promise((done) => server.close(done)),
  };
}

const FLOW = {
  schema: 'viatic.flow/1',
  name: 'Faults',
  trigger: { kind: 'event', event: 'app.ping', key: null, where: [] },
  entry: null,
  stay: null,
  reentry: 'always',
  goal: null,
  steps: [
    {
      id: 'say',
      kind: 'send',
      name: 'Say',
      message: {
        schema: 'viatic.message/1',
        channel: 'email',
        kind: 'marketing',
        subject: 'Ping',
        preview: '',
        blocks: [{ id: 't', kind: 'text', text: 'Hello {{ person.firstName | fallback: "there" }}' }],
      },
    },
    { id: 'end', kind: 'end' },
  ],
};

/** An installation of its own, kept up as the demo keeps itself up. */
async function install(folder) {
  chmodSync(folder, 0o755);
  let cluster = await startCluster(folder);
  const port = await freePort();
  const mail = await startMailServer();
  const databaseUrl = cluster.url('viatic');
  process.env.VIATIC_SMTP_OVERRIDE = `smtp://127.0.0.1:${mail.port}`;
  const env = { ...(await stack.environmentOf(folder, databaseUrl, port)), VIATIC_ADMIN_DATABASE_URL: cluster.url('postgres') };
  stack.runScript('scripts/setup.ts', ['--people', '200'], env);
  stack.ensureBuild('.next');
  const running = await stack.startStack(folder, databaseUrl, port, '.next', { isKept: true });
  let isOver = false;
  const watch = (async () => {
    while (!isOver) {
      await pause(500);
      if (!isOver && !cluster.isRunning()) cluster = await startCluster(folder, { port: cluster.port }).catch(() => cluster);
    }
  })();
  const call = (method, path, body) =>
    fetch(`${running.url}/api/v1${path}`, {
      method,
      headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
      ...(body && { body: JSON.stringify(body) }),
      signal: AbortSignal.timeout(20_000),
    });
  await call('PUT', '/flows/faults', FLOW);
  const published = await call('POST', '/flows/faults/publish');
  if (!published.ok) throw new Error(await published.text());
  return {
    mail,
    call,
    running,
    folder,
    cluster: () => cluster,
    async query(sql) {
      for (let tries = 0; ; tries++) {
        const client = new pg.Client({ connectionString: databaseUrl });
        client.on('error', () => undefined);
        try {
          await client.connect();
          return (await client.query(sql)).rows;
        } catch (error) {
          if (tries > 120) throw error;
          await pause(500);
        } finally {
          await client.end().catch(() => undefined);
        }
      }
    },
    async close() {
      isOver = true;
      await watch;
      await running.stop();
      await cluster.stop();
      await mail.close();
    },
  };
}

let made = 0;
/**
 * Sends batches of ten events, each a new person's, from four senders until told to stop; one in ten comes twice, and what is
 * not answered well comes again.
 */
function startLoad(store, tally) {
  let isOver = false;
  const sender = async () => {
    while (!isOver) {
      const batch = Array.from({ length: 10 }, () => {
        const id = `ping-${++made}`;
        tally.told.add(id);
        return {
          id,
          source: 'faults',
          type: 'app.ping',
          data: {
            person: {
              email: `${id}@${made % 10 === 0 ? 'slow' : 'example'}.${made % 10 === 0 ? 'example' : 'com'}`,
              consent: { email: true },
            },
          },
        };
      });
      const body = made % 10 === 0 ? [...batch, batch[0]] : batch;
      for (;;) {
        try {
          const answer = await store.call('POST', '/events', body);
          tally.answers[answer.status] = (tally.answers[answer.status] ?? 0) + 1;
          if (answer.status === 202) break;
          await answer.arrayBuffer();
        } catch {
          tally.answers.none = (tally.answers.none ?? 0) + 1;
        }
        await pause(200);
      }
      tally.accepted += batch.length;
      await pause(400);
    }
  };
  const all = Promise.all(Array.from({ length: 4 }, sender));
  return async () => {
    isOver = true;
    await all;
  };
}

const kill = (pid) => {
  try {
    process.kill(pid, 'SIGKILL');
  } catch {
    // gone already
  }
};
const backends = (store) =>
  store.query(`select pid from pg_stat_activity where datname = 'viatic' and pid <> pg_backend_pid() and application_name like 'viatic%'`);
const fill = (store) => spawnSync('dd', ['if=/dev/zero', `of=${join(store.folder, 'full')}`, 'bs=1M'], { stdio: 'ignore' });

/** What is broken, each under load. `seconds` is how long the load lasts. */
const FAULTS = {
  nothing: { seconds: 15, act: async () => {} },
  'web killed three times': {
    seconds: 25,
    act: async (store) => {
      for (let i = 0; i < 3; i++) {
        await pause(5000);
        kill(store.running.web.child.pid);
      }
    },
  },
  'worker killed three times': {
    seconds: 25,
    act: async (store) => {
      for (let i = 0; i < 3; i++) {
        await pause(5000);
        kill(store.running.worker.child.pid);
      }
    },
  },
  'a database backend killed twice': {
    seconds: 30,
    act: async (store) => {
      for (let i = 0; i < 2; i++) {
        await pause(6000);
        kill((await backends(store))[0]?.pid);
      }
    },
  },
  'the whole database killed': {
    seconds: 30,
    act: async (store) => {
      await pause(6000);
      kill(store.cluster().pid());
    },
  },
  'the mail server hangs for 62 seconds': {
    seconds: 75,
    act: async (store) => {
      await pause(4000);
      store.mail.set('hang');
      await pause(62_000);
      store.mail.set('well');
    },
  },
  // only when it is asked for: `npm run faults -- ten`
  'the mail server hangs for ten minutes': {
    seconds: 30,
    isLong: true,
    act: async (store) => {
      await pause(4000);
      store.mail.set('hang');
      await pause(600_000);
      store.mail.set('well');
    },
  },
  'the mail server refuses for 20 seconds': {
    seconds: 30,
    act: async (store) => {
      await pause(4000);
      store.mail.set('refuse');
      await pause(20_000);
      store.mail.set('well');
    },
  },
  'the mail server takes a second a mail': {
    seconds: 25,
    act: async (store) => {
      await pause(2000);
      store.mail.set('slow');
      await pause(20_000);
      store.mail.set('well');
    },
  },
  'one domain does not answer for 40 seconds': {
    seconds: 50,
    act: async (store, tally) => {
      await pause(2000);
      store.mail.set('domain');
      await pause(40_000);
      tally.during = [...store.mail.inbox.values()].filter(
        ({ to, at }) => !to.endsWith('@slow.example') && at > Date.now() - 20_000,
      ).length;
      store.mail.set('well');
    },
  },
  'the disk is full for 15 seconds': {
    seconds: 30,
    isSmall: true,
    act: async (store) => {
      await pause(5000);
      fill(store);
      await pause(15_000);
      rmSync(join(store.folder, 'full'), { force: true });
    },
  },
};

// told to end, it leaves nothing running
let closing = null;
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => void (closing ? closing() : Promise.resolve()).then(() => process.exit(1)));

async function run(name, fault) {
  let folder = mkdtempSync(join(tmpdir(), 'viatic-faults-'));
  let mounted = null;
  if (fault.isSmall) {
    if (!isRoot() || spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=500m', 'tmpfs', folder]).status !== 0) {
      console.log(`| ${name} | not tried: a small disk can be made by root only, where mounting is allowed |`);
      rmSync(folder, { recursive: true, force: true });
      return;
    }
    mounted = folder;
    folder = join(folder, 'data');
    mkdirSync(folder);
  }
  const store = await install(folder);
  closing = () => store.close();
  const tally = { told: new Set(), accepted: 0, answers: {}, during: null };
  try {
    const stopLoad = startLoad(store, tally);
    const breaking = fault.act(store, tally);
    await pause(fault.seconds * 1000);
    await stopLoad();
    await breaking;
    const ended = Date.now();
    const open = async () =>
      (await store.query(`select count(*)::int as n from sends where state = 'queued'`))[0].n +
      (await store.query(`select count(*)::int as n from runs where wake_at <= now()`))[0].n;
    while ((await open()) && Date.now() - ended < 900_000) await pause(500);
    const drained = Math.round((Date.now() - ended) / 1000);
    const [{ n: found }] = await store.query(`select count(*)::int as n from events where source = 'faults'`);
    const states = await store.query(
      `select s.state, count(*)::int as n from sends s join flows f on f.id = s.flow_id where f.key = 'faults' group by 1 order by 1`,
    );
    const perAddress = new Map();
    for (const { to } of store.mail.inbox.values()) perAddress.set(to, (perAddress.get(to) ?? 0) + 1);
    const twice = [...perAddress.values()].filter((count) => count > 1).length;
    const isWell =
      found === tally.told.size &&
      tally.accepted === tally.told.size &&
      perAddress.size === tally.told.size &&
      !twice &&
      !tally.answers[500];
    const answers = Object.entries(tally.answers)
      .map(([status, count]) => `${count} × ${status === 'none' ? 'no answer' : status}`)
      .join(', ');
    console.log(
      `| ${name} | ${tally.accepted.toLocaleString('en')} | ${found.toLocaleString('en')} | ${perAddress.size.toLocaleString('en')} | ${twice} | ${store.mail.counts.repeats} | ${answers} | ${drained} s |${tally.during === null ? '' : ` ${tally.during} to other domains in the last 20 s of it |`} ${isWell ? '' : `NOT WELL: ${JSON.stringify(states)}`}`,
    );
    if (!isWell) process.exitCode = 1;
  } finally {
    closing = null;
    await store.close();
    // a program that is just ending may have a file of it open still
    if (mounted) spawnSync('umount', ['-l', mounted]);
    rmSync(mounted ?? folder, { recursive: true, force: true });
  }
}

console.log(
  '| what was broken | accepted | found | people mailed | mailed twice | handed over again under the same Message-ID | answers to the senders | until all was out |',
);
console.log('|---|---|---|---|---|---|---|---|');
// a broadcast to many, its workers killed and it stopped: the test of it, ten times as large
if (wanted.includes('broadcast')) {
  const { status } = spawnSync('npx', ['vitest', 'run', 'src/server/program/broadcast.test.ts'], {
    stdio: 'inherit',
    env: { ...process.env, VIATIC_BROADCAST_PEOPLE: process.env.VIATIC_BROADCAST_PEOPLE ?? '200000' },
  });
  if (status) process.exitCode = 1;
}
for (const [name, fault] of Object.entries(FAULTS))
  if ((!wanted.length && !fault.isLong) || wanted.some((word) => name.split(' ').includes(word))) await run(name, fault);
