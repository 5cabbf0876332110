import { defineConfig } from '@playwright/test';

/** How long anything awaited may take, in ms. */
const PATIENCE = Number(process.env.VIATIC_PATIENCE ?? 120_000);

export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/setup.ts',
  // a store for each: the files move its clock
  workers: 2,
  // a machine that is busy with other work takes five times as long: patience costs nothing where all is well
  timeout: 900_000,
  expect: { timeout: PATIENCE },
  // what a machine that stood still for a minute has spoilt is tried once more, and said to be so
  retries: 1,
  reporter: process.env.VIATIC_TEST_REPORT ? [['list'], ['json', { outputFile: process.env.VIATIC_TEST_REPORT }]] : [['list']],
  use: {
    viewport: { width: 1280, height: 800 },
    trace: 'off',
    actionTimeout: PATIENCE,
    navigationTimeout: PATIENCE,
    launchOptions: {
      executablePath: '/usr/bin/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
