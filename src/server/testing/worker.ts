import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { inject } from 'vitest';

/** A worker as a process of its own, on a database and a mail server. */
export function startWorker(databaseUrl: string, smtpPort: number, more: { readonly [name: string]: string } = {}): ChildProcess {
  return spawn(process.execPath, [inject('workerFile')], {
    stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
    env: {
      ...process.env,
      VIATIC_DATABASE_URL: databaseUrl,
      VIATIC_URL: 'http://localhost:4400',
      VIATIC_SECRET: 'x'.repeat(32),
      VIATIC_SMTP_URL: `smtp://127.0.0.1:${smtpPort}`,
      VIATIC_MAIL_HOOK_SECRET: 'whsec_x',
      VIATIC_TEXT_HOOK_SECRET: 'whsec_x',
      VIATIC_LOG: 'warn',
      ...more,
    },
  });
}

/** When a process has ended: with which code, null where it was killed. */
export const endOf = (child: ChildProcess): Promise<number | null> => new Promise((done) => child.on('exit', (code) => done(code)));

/** Waits until something is so; fails when it takes longer than that. */
export async function until(is: () => Promise<boolean> | boolean, patienceMs = 60_000): Promise<void> {
  const deadline = Date.now() + patienceMs;
  while (!(await is())) {
    if (Date.now() > deadline) throw new Error('waited in vain');
    await new Promise((done) => setTimeout(done, 5));
  }
}

/** How much memory a process holds now, in MB; Linux tells. */
export const memoryOf = ({ pid }: ChildProcess): number =>
  Number(/VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
