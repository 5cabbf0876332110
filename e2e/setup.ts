import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Starts everything in a folder and on ports of its own, with a small Quillfin; stops it when all tests are done. */
export default async function setup(): Promise<() => Promise<void>> {
  const { startCluster, freePort } = await import('../scripts/cluster.mjs' as string);
  const stack = await import('../scripts/stack.mjs' as string);
  const folder = mkdtempSync(join(tmpdir(), 'viatic-e2e-'));
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, { isThrowaway: true });
  const port = await freePort();
  const databaseUrl = cluster.url('viatic');
  const env = { ...(await stack.environmentOf(folder, databaseUrl, port)), VIATIC_ADMIN_DATABASE_URL: cluster.url('postgres') };
  stack.runScript('scripts/setup.ts', ['--people', '1200'], env);
  stack.ensureBuild('.next-test');
  const running = await stack.startStack(folder, databaseUrl, port, '.next-test');
  process.env.VIATIC_E2E_URL = running.url;
  process.env.VIATIC_E2E_OUTSIDE = running.env.VIATIC_OUTSIDE_URL;
  process.env.VIATIC_E2E_DATABASE = databaseUrl;
  return async () => {
    await running.stop();
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
