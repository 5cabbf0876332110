import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { FullConfig } from '@playwright/test';

interface Stack {
  readonly url: string;
  readonly env: { readonly VIATIC_OUTSIDE_URL: string };
  stop(): Promise<void>;
}

/**
 * Starts everything in a folder and on ports of its own, with a small Quillfin: a store for each of those who test beside each other,
 * since they move its clock. Stops it when all tests are done.
 */
export default async function setup({ workers }: Pick<FullConfig, 'workers'>): Promise<() => Promise<void>> {
  const { startCluster, freePort } = await import('../scripts/cluster.mjs' as string);
  const stack = await import('../scripts/stack.mjs' as string);
  const folder = mkdtempSync(join(tmpdir(), 'viatic-e2e-'));
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, { isThrowaway: true, settings: { max_connections: 100 * workers } });
  const each = <T>(work: (n: number) => Promise<T>) => Promise.all(Array.from({ length: workers }, (_, n) => work(n)));
  const places = await each(async (n) => ({
    folder: join(folder, String(n)),
    port: (await freePort()) as number,
    url: cluster.url(`viatic_${n}`) as string,
  }));
  await each(async (n) => {
    const { folder: own, url, port } = places[n]!;
    const env = { ...(await stack.environmentOf(own, url, port)), VIATIC_ADMIN_DATABASE_URL: cluster.url('postgres') };
    await stack.runBeside('scripts/setup.ts', ['--people', '1200'], env);
  });
  stack.ensureBuild('.next-test');
  const running = await each((n): Promise<Stack> => stack.startStack(places[n]!.folder, places[n]!.url, places[n]!.port, '.next-test'));
  for (const [n, one] of running.entries()) {
    process.env[`VIATIC_E2E_URL_${n}`] = one.url;
    process.env[`VIATIC_E2E_OUTSIDE_${n}`] = one.env.VIATIC_OUTSIDE_URL;
    process.env[`VIATIC_E2E_DATABASE_${n}`] = places[n]!.url;
  }
  return async () => {
    await Promise.all(running.map((one) => one.stop()));
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
