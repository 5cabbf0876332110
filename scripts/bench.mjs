// npm run bench: measures against floors in the same run; see docs/performance.md.
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensurePackages, freePort, startCluster } from './cluster.mjs';
import { load } from './modules.mjs';

ensurePackages(['postgresql', 'chromium']);
const stack = await load();
const folder = mkdtempSync(join(tmpdir(), 'viatic-bench-'));
chmodSync(folder, 0o755);
const cluster = await startCluster(folder);
const port = await freePort();
const databaseUrl = cluster.url('viatic');
const env = { ...(await stack.environmentOf(folder, databaseUrl, port)), VIATIC_ADMIN_DATABASE_URL: cluster.url('postgres') };
let web = null;
let door = null;
let sink = null;
try {
  stack.runScript('scripts/setup.ts', ['--people', '1000'], env);
  const which =
    process.argv[2] ??
    'advance,rules,preflight,counting,segments,replay,ingest,runloop,arming,mails,people,map,letters,codes,revenue,verdicts';
  if (['ingest', 'crowd', 'map'].some((one) => which.includes(one))) stack.ensureBuild('.next');
  if (which.includes('verdicts')) stack.runScript('bench/verdicts.ts', [], env);
  if (which.includes('advance')) stack.runScript('bench/advance.ts', [], env);
  if (which.includes('rules')) stack.runScript('bench/rules.ts', [], env);
  if (which.includes('letters')) stack.runScript('bench/letters.ts', [], env);
  if (which.includes('codes')) stack.runScript('bench/codes.ts', [], env);
  if (which.includes('revenue')) stack.runScript('bench/revenue.ts', [], env);
  if (which.includes('preflight')) stack.runScript('bench/preflight.ts', [], env);
  if (which.includes('ingest') || which.includes('crowd')) {
    web = stack.startWeb(env, folder, port, '.next');
    await web.ready;
    const doorPort = String(await freePort());
    door = stack.startScript('bench-door', 'bench/door.ts', { ...env, BENCH_DOOR_PORT: doorPort }, folder);
    await door.ready;
    if (which.includes('crowd')) stack.runScript('bench/crowd.ts', [], { ...env, BENCH_DOOR_PORT: doorPort });
    if (which.includes('ingest')) stack.runScript('bench/ingest.ts', [], { ...env, BENCH_DOOR_PORT: doorPort });
    for (const program of [web, door]) await stack.stopProgram(program);
  }
  if (which.includes('map')) {
    web = stack.startWeb(env, folder, port, '.next');
    await web.ready;
    stack.runScript('bench/map.ts', [], env);
    await stack.stopProgram(web);
  }
  if (which.includes('people')) stack.runScript('bench/people.ts', [], env);
  if (which.includes('counting')) stack.runScript('bench/counting.ts', [], env);
  if (which.includes('segments')) stack.runScript('bench/segments.ts', [], env);
  if (which.includes('replay')) stack.runScript('bench/replay.ts', [], env);
  if (which.includes('mails')) {
    const sinkPort = String(await freePort());
    sink = stack.startScript('bench-sink', 'bench/sink.ts', { ...env, BENCH_SINK_PORT: sinkPort }, folder);
    await sink.ready;
    stack.runScript('bench/mails.ts', [], { ...env, BENCH_SINK_PORT: sinkPort });
  }
  if (which.includes('arming')) stack.runScript('bench/arming.ts', [], env);
  if (which.includes('runloop')) stack.runScript('bench/runloop.ts', [], env);
} finally {
  for (const program of [web, door, sink]) if (program) await stack.stopProgram(program);
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}
