// Loads what needs the installed packages, after seeing to it that they are installed.
import { createHash } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';

const root = resolve(import.meta.dirname, '..');

/** Installs the packages of package-lock.json when they are not there, or when it has changed since. */
export function ensureModules() {
  const stamp = join(root, 'node_modules', '.viatic-installed');
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  console.log('Installing packages …');
  const done = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, NODE_ENV: 'development' },
  });
  if (done.status !== 0) process.exit(done.status ?? 1);
  writeFileSync(stamp, lock);
}

export async function load() {
  ensureModules();
  return import('./stack.mjs');
}
