import { mkdtempSync, rmSync, chmodSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { connect, migrate, query } from '../src/data/db';

declare module 'vitest' {
  export interface ProvidedContext {
    databaseUrl: string;
    /** the worker as a program of its own */
    workerFile: string;
  }
}

/** Starts a cluster of its own for the tests, with a migrated database that each test file copies. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const { startCluster } = (await import('./cluster.mjs' as string)) as {
    startCluster(folder: string, options: object): Promise<{ url(name: string): string; stop(): Promise<void> }>;
  };
  const { bundled } = (await import('./bundle.mjs' as string)) as { bundled(file: string): string };
  const folder = mkdtempSync(join(tmpdir(), 'viatic-test-'));
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, { isThrowaway: true });
  const admin = connect(cluster.url('postgres'), 1);
  await query(admin, 'create database template_viatic');
  await admin.destroy();
  const db = connect(cluster.url('template_viatic'), 2);
  await migrate(db, cluster.url('template_viatic'));
  await db.destroy();
  project.provide('databaseUrl', cluster.url('postgres'));
  project.provide('workerFile', bundled('src/server/program/worker.ts'));
  return async () => {
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
