// Builds the application and starts its programs: web, worker, stand-ins. Used by the demo, the tests and the bench.
import { spawn, spawnSync } from 'node:child_process';
import { createHash, createECDH, generateKeyPairSync, randomBytes } from 'node:crypto';
import { createWriteStream, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { bundled } from './bundle.mjs';
import { freePort } from './cluster.mjs';

export const root = resolve(import.meta.dirname, '..');

function sources(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? sources(join(folder, entry.name)) : [join(folder, entry.name)],
  );
}

/** Builds the application into a folder of its own, when its sources have changed since. */
export function ensureBuild(dist) {
  const hash = createHash('sha256');
  for (const file of [
    ...sources(join(root, 'src')),
    ...sources(join(root, 'quillfin')),
    join(root, 'next.config.ts'),
    join(root, 'package-lock.json'),
    join(root, 'tsconfig.json'),
  ].sort()) {
    if (/\.test\.tsx?$/.test(file)) continue;
    hash.update(file.slice(root.length)).update(readFileSync(file));
  }
  const digest = hash.digest('hex');
  const stamp = join(root, dist, 'viatic-sources');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === digest) return;
  console.log('Building …');
  rmSync(join(root, dist), { recursive: true, force: true });
  const done = spawnSync(process.execPath, [join(root, 'node_modules/next/dist/bin/next'), 'build'], {
    cwd: root,
    encoding: 'utf8',
    env: { ...process.env, NODE_ENV: 'production', VIATIC_DIST: dist, NEXT_TELEMETRY_DISABLED: '1' },
  });
  if (done.status !== 0) {
    console.error(done.stdout, done.stderr);
    process.exit(1);
  }
  writeFileSync(stamp, digest);
}

/** A pair of keys for DKIM (RFC 6376): the private one as base64 of its PEM, the public one as it stands in the DNS. */
function dkimKeys() {
  const { privateKey, publicKey } = generateKeyPairSync('rsa', {
    modulusLength: 2048,
    privateKeyEncoding: { type: 'pkcs8', format: 'pem' },
    publicKeyEncoding: { type: 'spki', format: 'der' },
  });
  return { dkimKey: Buffer.from(privateKey).toString('base64'), dkimPublic: publicKey.toString('base64') };
}

/** A pair of keys by which push services know us (VAPID, RFC 8292): a point of P-256 and its scalar, in base64url. */
function vapidKeys() {
  const pair = createECDH('prime256v1');
  pair.generateKeys();
  return { vapidPublic: pair.getPublicKey('base64url'), vapidPrivate: pair.getPrivateKey('base64url') };
}

/** Secrets of an installation: made once, kept in its folder. */
export function secretsOf(folder) {
  mkdirSync(folder, { recursive: true });
  const file = join(folder, 'secrets.json');
  const hookSecret = () => `whsec_${randomBytes(24).toString('base64')}`;
  const known = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {};
  const secrets = {
    secret: randomBytes(32).toString('base64url'),
    mailHookSecret: hookSecret(),
    textHookSecret: hookSecret(),
    ...(known.dkimKey ? {} : dkimKeys()),
    ...(known.vapidPublic ? {} : vapidKeys()),
    ...known,
  };
  if (Object.keys(secrets).some((name) => !(name in known))) writeFileSync(file, JSON.stringify(secrets), { mode: 0o600 });
  return secrets;
}

/** The environment in which all programs of an installation run. */
export async function environmentOf(folder, databaseUrl, port) {
  const { secret, mailHookSecret, textHookSecret, dkimKey, dkimPublic, vapidPublic, vapidPrivate } = secretsOf(folder);
  const [outsidePort, smtpPort, dnsPort] = [await freePort(), await freePort(), await freePort()];
  const spf = 'include:mail.viatic.example';
  const dkim = `v=DKIM1; k=rsa; p=${dkimPublic}`;
  return {
    ...process.env,
    NODE_ENV: 'production',
    NEXT_TELEMETRY_DISABLED: '1',
    VIATIC_DATABASE_URL: databaseUrl,
    VIATIC_URL: `http://localhost:${port}`,
    VIATIC_SECRET: secret,
    VIATIC_SMTP_URL: process.env.VIATIC_SMTP_OVERRIDE ?? `smtp://127.0.0.1:${smtpPort}`,
    VIATIC_MAIL_HOOK_SECRET: mailHookSecret,
    VIATIC_DKIM_KEY: dkimKey,
    // what a mail server would find in the DNS under viatic._domainkey of the store's domain
    OUTSIDE_DKIM_RECORD: dkim,
    OUTSIDE_DNS_PORT: String(dnsPort),
    OUTSIDE_DNS_RECORDS: JSON.stringify([
      { name: 'viatic._domainkey.quillfin.example', text: dkim },
      { name: 'quillfin.example', text: `v=spf1 ${spf} ~all` },
      { name: '_dmarc.quillfin.example', text: 'v=DMARC1; p=quarantine' },
    ]),
    VIATIC_DNS: `127.0.0.1:${dnsPort}`,
    VIATIC_SPF: spf,
    VIATIC_VAPID_PUBLIC: vapidPublic,
    VIATIC_VAPID_PRIVATE: vapidPrivate,
    VIATIC_TEXT_HOOK_SECRET: textHookSecret,
    VIATIC_OUTSIDE_URL: `http://127.0.0.1:${outsidePort}`,
    VIATIC_SMS_URL: `http://127.0.0.1:${outsidePort}/outside/sms`,
    VIATIC_PUSH_URL: `http://127.0.0.1:${outsidePort}/outside/push`,
    // the stand-in for a system of the shop is in this house
    VIATIC_CALL_INSIDE: `127.0.0.1:${outsidePort},localhost:${port}`,
    VIATIC_DEMO: '1',
    OUTSIDE_PORT: String(outsidePort),
    OUTSIDE_SMTP_PORT: String(smtpPort),
    OUTSIDE_API_KEY: 'demo-key',
    OUTSIDE_SNIPPET: 'snippet-quillfin',
    OUTSIDE_FOLDER: join(folder, 'outside'),
  };
}

const tsx = ['--import', import.meta.resolve('tsx')];

/** Runs a TypeScript program of ours to its end; fails loudly. */
export function runScript(file, args, env) {
  const done = spawnSync(process.execPath, [...tsx, join(root, file), ...args], { cwd: root, env, stdio: 'inherit' });
  if (done.status !== 0) throw new Error(`${file} ended with ${done.status ?? done.signal}`);
}

/** The same beside others: resolves when it has ended well. */
export const runBeside = (file, args, env) =>
  new Promise((done, fail) => {
    const child = spawn(process.execPath, [...tsx, join(root, file), ...args], { cwd: root, env, stdio: 'inherit' });
    child.on('error', fail);
    child.on('exit', (code, signal) => (code === 0 ? done() : fail(new Error(`${file} ended with ${code ?? signal}`))));
  });

/** Starts a program in a process group of its own; `ready` resolves when it says so, or when its port answers. */
export function startProgram(name, args, env, folder) {
  mkdirSync(join(folder, 'log'), { recursive: true });
  const child = spawn(process.execPath, args, { cwd: root, env, stdio: ['ignore', 'pipe', 'pipe', 'ipc'], detached: true });
  const tail = [];
  const file = createWriteStream(join(folder, 'log', `${name}.log`), { flags: 'a' });
  // a full disk costs the log, not the programs
  file.on('error', () => {});
  const keep = (chunk) => {
    tail.push(chunk.toString());
    file.write(chunk);
    if (tail.length > 200) tail.shift();
    if (process.env.VIATIC_SHOW_LOGS) process.stderr.write(`[${name}] ${chunk}`);
  };
  child.stdout.on('data', keep);
  child.stderr.on('data', keep);
  const ended = new Promise((done) => child.on('exit', (code, signal) => done({ code, signal })));
  const ready = new Promise((done, fail) => {
    child.on('message', (message) => message === 'ready' && done());
    child.on('exit', (code) => fail(new Error(`${name} ended with ${code} before it was ready:\n${tail.join('')}`)));
  });
  ready.catch(() => {});
  return { name, child, ready, ended, tail: () => tail.join('') };
}

/** Starts a TypeScript program of ours that stays. */
export const startScript = (name, file, env, folder) => startProgram(name, [...tsx, join(root, file)], env, folder);
const startBundled = (name, file, env, folder) => startProgram(name, ['--enable-source-maps', bundled(file)], env, folder);
export const startWorker = (env, folder) => startBundled('worker', 'src/server/program/worker.ts', env, folder);
export const startOutside = (env, folder) => startBundled('outside', 'src/outside/main.ts', env, folder);
export function startWeb(env, folder, port, dist) {
  // room for the young: a batch of a thousand events outlives the first look of the collector, and was copied about for nothing
  return startProgram(
    'web',
    ['--max-semi-space-size=32', join(root, 'scripts/web.mjs')],
    { ...env, PORT: String(port), VIATIC_DIST: dist, VIATIC_DOOR: bundled('src/server/door/web.ts') },
    folder,
  );
}

/** Resolves when an address answers anything at all. */
export async function answers(url, patienceMs = 60_000) {
  const deadline = Date.now() + patienceMs;
  for (;;) {
    try {
      await fetch(url);
      return;
    } catch (error) {
      if (Date.now() > deadline) throw new Error(`${url} does not answer`, { cause: error });
      await new Promise((done) => setTimeout(done, 100));
    }
  }
}

/** Asks a program to end, and ends it hard when it has not within the patience. */
export async function stopProgram(program, patienceMs = 15_000) {
  if (program.child.exitCode !== null || program.child.signalCode !== null) return;
  const kill = (signal) => {
    try {
      process.kill(-program.child.pid, signal);
    } catch {
      // gone already
    }
  };
  kill('SIGTERM');
  const timer = setTimeout(() => kill('SIGKILL'), patienceMs);
  await program.ended;
  clearTimeout(timer);
}

const STARTS = {
  web: (env, folder, port, dist) => startWeb(env, folder, port, dist),
  worker: (env, folder) => startWorker(env, folder),
  outside: (env, folder) => startOutside(env, folder),
};

/**
 * Starts programs; answers with them and with how to stop them, the first first. With `isKept`, one that ends by itself is started
 * again, with longer pauses when it keeps ending.
 */
export async function startPrograms(names, env, folder, port, dist, { isKept = false, onChange = () => {} } = {}) {
  const own = {};
  let isStopping = false;
  const all = () => names.map((name) => own[name]);
  const start = (name, pauseMs = 500) => {
    const program = (own[name] = STARTS[name](env, folder, port, dist));
    const began = Date.now();
    void program.ended.then(async ({ code, signal }) => {
      if (isStopping || !isKept) return;
      const next = Date.now() - began > 60_000 ? 500 : Math.min(30_000, pauseMs * 2);
      console.error(`${name} ended unexpectedly (${code ?? signal}); starting it again …`);
      await new Promise((done) => setTimeout(done, pauseMs));
      if (isStopping) return;
      start(name, next);
      onChange(all());
    });
    return program;
  };
  const stop = async () => {
    isStopping = true;
    for (const program of all()) if (program) await stopProgram(program);
  };
  try {
    await Promise.all([...names].reverse().map((name) => start(name).ready));
  } catch (error) {
    await stop();
    throw error;
  }
  return {
    env,
    get web() {
      return own.web;
    },
    get worker() {
      return own.worker;
    },
    get outside() {
      return own.outside;
    },
    get programs() {
      return all();
    },
    stop,
    url: env.VIATIC_URL,
  };
}

/** Starts web, worker and stand-ins, as {@link startPrograms} does. */
export const startStack = async (folder, databaseUrl, port, dist, options) =>
  startPrograms(['web', 'worker', 'outside'], await environmentOf(folder, databaseUrl, port), folder, port, dist, options);
