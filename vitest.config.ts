import { resolve } from 'node:path';
import { defineConfig } from 'vitest/config';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

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
/** Files that take longest, the longest first: begun last, they would run alone while a core has nothing to do. */
const LONG = ['program/broadcast', 'flows/replay', 'program/kill', 'program/beyond', 'door/events-route'];
class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const place = ({ moduleId }: TestSpecification) => LONG.findIndex((one) => moduleId.endsWith(`${one}.test.ts`)) + 1 || LONG.length + 1;
    return (await super.sort(files)).toSorted((a, b) => place(a) - place(b));
  }
}
const alias = { '@': resolve(import.meta.dirname, 'src') };
const onDatabase = {
  globalSetup: ['scripts/test-database.ts'],
  // a machine that is busy with other work takes several times as long
  testTimeout: 240_000,
  hookTimeout: 240_000,
  fileParallelism: true,
  maxWorkers: 3,
  sequence: { groupOrder: 1 },
};

export default defineConfig({
  test: {
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        resolve: { alias },
        test: { name: 'unit', include: ['src/**/*.test.{ts,tsx}'], exclude: database, testTimeout: 120_000, isolate: false, maxWorkers: 2 },
      },
      // what is imported stays with its worker: importing it anew for each file took a quarter of the time
      { resolve: { alias }, test: { ...onDatabase, name: 'database', include: database, exclude: alone, isolate: false } },
      { resolve: { alias }, test: { ...onDatabase, name: 'database-alone', include: alone } },
    ],
  },
});
