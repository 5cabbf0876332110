import { resolve } from 'node:path';
import { defineConfig } from 'vitest/config';

const database = ['src/data/**/*.test.ts', 'src/server/**/*.test.ts'];
/** Files that set the environment or the time of their process: each has one of its own. */
const alone = [
  'src/data/db/copy.test.ts',
  'src/server/door/*.test.ts',
  'src/server/flows/replay.test.ts',
  'src/server/messages/texts.test.ts',
  'src/server/people/shown.test.ts',
  'src/server/program/*.test.ts',
  'src/server/public/*.test.ts',
  'src/server/sources/sources.test.ts',
];
const alias = { '@': resolve(import.meta.dirname, 'src') };
const onDatabase = {
  globalSetup: ['scripts/test-database.ts'],
  // a machine that is busy with other work takes several times as long
  testTimeout: 240_000,
  hookTimeout: 240_000,
  fileParallelism: true,
  maxWorkers: 2,
  sequence: { groupOrder: 1 },
};

export default defineConfig({
  test: {
    projects: [
      { resolve: { alias }, test: { name: 'unit', include: ['src/**/*.test.{ts,tsx}'], exclude: database, testTimeout: 120_000 } },
      // what is imported stays with its worker: importing it anew for each file took a quarter of the time
      { resolve: { alias }, test: { ...onDatabase, name: 'database', include: database, exclude: alone, isolate: false } },
      { resolve: { alias }, test: { ...onDatabase, name: 'database-alone', include: alone } },
    ],
  },
});
