// npm run bench: measures against floors in the same run; see docs/performance.md.
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensurePackages, freePort, startCluster } from './cluster.mjs';
import { load } from './modules.mjs';

ensurePackages(['postgresql']);
const stack = await load();
const folder = mkdtempSync(join(tmpdir(), 'viatic-bench-'));
chmodSync(folder, 0o755);
const cluster = await startCluster(folder);
const port = await freePort();
const databaseUrl = cluster.url('viatic');
const env = { ...(await stack.environmentOf(folder, databaseUrl, port)), VIATIC_ADMIN_DATABASE_URL: cluster.url('postgres') };
let web = null;
try {
  stack.runScript('scripts/setup.ts', ['--people', '1000'], env);
  stack.ensureBuild('.next');
  const which = process.argv[2] ?? 'advance,ingest,runloop,people';
  if (which.includes('advance')) stack.runScript('bench/advance.ts', [], env);
  if (which.includes('ingest')) {
    web = stack.startWeb(env, folder, port, '.next');
    await web.ready;
    stack.runScript('bench/ingest.ts', [], env);
    await stack.stopProgram(web);
  }
  if (which.includes('people')) stack.runScript('bench/people.ts', [], env);
  if (which.includes('runloop')) stack.runScript('bench/runloop.ts', [], env);
} finally {
  if (web) await stack.stopProgram(web);
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}
