import { resolve } from 'node:path';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  resolve: { alias: { '@': resolve(import.meta.dirname, 'src') } },
  test: { include: ['src/core/**/*.test.ts'], setupFiles: ['./vitest.mutants.setup.ts'] },
});
