// npm test: every check on a fresh machine, each with its own set-up; ends with "N passed, N failed".
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { ensurePackages } from './cluster.mjs';
import { ensureModules } from './modules.mjs';

const root = resolve(import.meta.dirname, '..');
ensurePackages(['postgresql', 'chromium-headless-shell', 'pgbouncer']);
ensureModules();

const folder = mkdtempSync(join(tmpdir(), 'viatic-report-'));
const counts = { passed: 0, failed: 0 };
const began = Date.now();
const bin = (name) => join(root, 'node_modules', '.bin', name);
const step = (name, command, args, env = {}) => {
  const start = Date.now();
  console.log(`\n== ${name}`);
  const done = spawnSync(command, args, {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, FORCE_COLOR: '0', NEXT_TELEMETRY_DISABLED: '1', ...env },
  });
  console.log(`== ${name}: ${((Date.now() - start) / 1000).toFixed(0)} s`);
  return done.status === 0;
};
/** Checks beside each other, each of which uses one core; what one of them says stands together. */
const checks = async (all) => {
  const run = ([name, command, args]) =>
    new Promise((done) => {
      const start = Date.now();
      const child = spawn(command, args, { cwd: root, env: { ...process.env, FORCE_COLOR: '0' } });
      let said = '';
      for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (said += text));
      let isOver = false;
      const end = (code) => {
        if (isOver) return;
        isOver = true;
        console.log(`\n== ${name}\n${said}== ${name}: ${((Date.now() - start) / 1000).toFixed(0)} s`);
        counts[code === 0 ? 'passed' : 'failed'] += 1;
        done();
      };
      child.on('close', end);
      child.on('error', (error) => {
        said += `${error.message}\n`;
        end(1);
      });
    });
  // the longest alone on the one core, the others one after another on the other
  const [longest, ...others] = all;
  await Promise.all([run(longest), others.reduce((before, one) => before.then(() => run(one)), Promise.resolve())]);
};
/** Counts a runner's tests from its report; a runner that ends badly without a failed test counts as one failure. */
const suite = (name, command, args, report, count, env) => {
  const isWell = step(name, command, args, env);
  const found = existsSync(report) ? count(JSON.parse(readFileSync(report, 'utf8'))) : { passed: 0, failed: 0 };
  counts.passed += found.passed;
  counts.failed += found.failed || (isWell && found.passed ? 0 : 1);
};

await checks([
  ['types', bin('tsc'), ['--noEmit']],
  ['format', bin('prettier'), ['--check', '.', '--log-level', 'warn']],
  ['lint', bin('eslint'), ['.', '--max-warnings', '0']],
  ['arrows', bin('depcruise'), ['src', 'scripts', 'bench', '--config', '.dependency-cruiser.cjs']],
]);
const vitest = (project) => {
  const report = join(folder, `${project}.json`);
  suite(
    project,
    bin('vitest'),
    ['run', `--project=${project}*`, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`],
    report,
    (r) => ({
      passed: r.numPassedTests,
      failed: r.numFailedTests + r.testResults.filter((one) => one.status === 'failed' && !one.assertionResults.length).length,
    }),
  );
};
vitest('unit');
vitest('database');
const report = join(folder, 'browser.json');
suite('browser', bin('playwright'), ['test'], report, (r) => ({ passed: r.stats.expected + r.stats.flaky, failed: r.stats.unexpected }), {
  VIATIC_TEST_REPORT: report,
});

rmSync(folder, { recursive: true, force: true });
console.log(`\nAll checks took ${((Date.now() - began) / 60_000).toFixed(1)} minutes.`);
console.log(`${counts.passed} passed, ${counts.failed} failed`);
process.exit(counts.failed ? 1 : 0);
