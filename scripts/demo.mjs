// npm run demo: starts everything with Quillfin's data on a fresh machine; one interrupt stops it.
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createConnection } from 'node:net';
import { ensurePackages, startCluster } from './cluster.mjs';

const root = resolve(import.meta.dirname, '..');
const folder = resolve(process.env.VIATIC_DATA ?? join(root, '.data'));
const port = Number(process.env.PORT ?? 4400);
const isFresh = process.argv.includes('--fresh');
// the tests have a build of their own
const dist = process.env.VIATIC_DIST ?? '.next';

if (Number(process.versions.node.split('.')[0]) < 20) {
  console.error(`Viatic needs Node.js 20 or newer; this is ${process.version}.`);
  process.exit(1);
}
ensurePackages(['postgresql']);
const runFile = join(folder, 'run.json');

/** What a demo that was killed hard has left running is ended, so that it does not work beside the new one. */
function endLeftovers() {
  if (!existsSync(runFile)) return;
  for (const { pid, started } of JSON.parse(readFileSync(runFile, 'utf8'))) {
    try {
      // the same number can be another process by now: its moment of starting tells
      if (startedAt(pid) === started) process.kill(-pid, 'SIGTERM');
    } catch {
      // gone already
    }
  }
  rmSync(runFile, { force: true });
}
const startedAt = (pid) => {
  try {
    return readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ')[19];
  } catch {
    return null;
  }
};

const isTaken = await new Promise((done) => {
  const probe = createConnection({ host: '127.0.0.1', port }, () => {
    probe.destroy();
    done(true);
  });
  probe.on('error', () => done(false));
});
if (isTaken && !existsSync(runFile)) {
  console.error(`Port ${port} is taken. Start with another: PORT=4500 npm run demo`);
  process.exit(1);
}
endLeftovers();

const stack = await import('./modules.mjs').then((m) => m.load());
if (isFresh && existsSync(folder)) {
  const old = existsSync(join(folder, 'postgres-password')) ? await startCluster(folder) : null;
  await old?.stop();
  rmSync(folder, { recursive: true, force: true });
}
mkdirSync(folder, { recursive: true });
console.log('Starting PostgreSQL …');
let cluster = await startCluster(folder);
const databaseUrl = cluster.url('viatic');

let running = null;
let isStopping = false;
async function stop(code = 0) {
  if (isStopping) return;
  isStopping = true;
  console.log('\nStopping …');
  await running?.stop();
  await cluster.stop();
  rmSync(runFile, { force: true });
  process.exit(code);
}
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void stop());
// npm may be ended without a word to us: then nobody is left who could stop this
const npm = npmAbove();
if (npm) setInterval(() => startedAt(npm.pid) !== npm.started && void stop(), 500).unref();

/** The npm that runs this, if one does: some levels up, for npm starts a shell. */
function npmAbove() {
  if (!process.env.npm_lifecycle_event) return null;
  let pid = process.ppid;
  for (let level = 0; level < 4 && pid > 1; level++) {
    try {
      if (
        /npm/.test(
          readFileSync(`/proc/${pid}/cmdline`, 'utf8')
            .replace(/\0/g, ' ')
            .replace(/^sh -c.*/, ''),
        )
      )
        return { pid, started: startedAt(pid) };
      pid = Number(readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ')[1]);
    } catch {
      return null;
    }
  }
  return null;
}

/** Keeps the database up: after whatever ended it, it is started again under the same address. */
async function watchCluster() {
  for (;;) {
    await new Promise((done) => setTimeout(done, 1000));
    if (isStopping) return;
    if (cluster.isRunning()) continue;
    console.error('PostgreSQL has ended; starting it again …');
    try {
      cluster = await startCluster(folder, { port: cluster.port });
    } catch (error) {
      console.error(error.message);
    }
  }
}

try {
  // of one life: web, worker and stand-ins go on finding each other after any of them was started again
  const env = { ...(await stack.environmentOf(folder, databaseUrl, port)), VIATIC_ADMIN_DATABASE_URL: cluster.url('postgres') };
  stack.runScript('scripts/setup.ts', ['--people', process.env.VIATIC_PEOPLE ?? '20000'], env);
  stack.ensureBuild(dist);
  const noteRunning = (programs) =>
    writeFileSync(runFile, JSON.stringify(programs.map(({ child }) => ({ pid: child.pid, started: startedAt(child.pid) }))));
  running = await stack.startStack(folder, databaseUrl, port, dist, { isKept: true, onChange: noteRunning });
  noteRunning(running.programs);
  void watchCluster();
  console.log(
    `\n  Viatic is ready:  ${running.url}\n\n  Sign in with marla@quillfin.example and the password "tanks-and-trains" (also
      on the sign-in page).\n  API key: demo-key    Stop with Ctrl+C.\n`,
  );
} catch (error) {
  console.error(error.message);
  await stop(1);
}
