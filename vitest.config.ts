import { resolve } from 'node:path';
import { defineConfig } from 'vitest/config';

const database = ['src/data/**/*.test.ts', 'src/server/**/*.test.ts'];
const alias = { '@': resolve(import.meta.dirname, 'src') };

export default defineConfig({
  test: {
    projects: [
      { resolve: { alias }, test: { name: 'unit', include: ['src/**/*.test.{ts,tsx}'], exclude: database, testTimeout: 30_000 } },
      {
        resolve: { alias },
        test: {
          name: 'database',
          include: database,
          globalSetup: ['scripts/test-database.ts'],
          testTimeout: 60_000,
          hookTimeout: 60_000,
          fileParallelism: true,
          maxWorkers: 2,
          sequence: { groupOrder: 1 },
        },
      },
    ],
  },
});
