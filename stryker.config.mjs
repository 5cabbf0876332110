// npm run mutants: changes the core one expression at a time and asks whether a unit test notices; not a part of npm test.
// One room: npm run mutants -- --mutate 'src/core/money/*.ts'
/** @type {import('@stryker-mutator/api/core').PartialStrykerOptions} */
export default {
  testRunner: 'vitest',
  vitest: { configFile: 'vitest.mutants.config.ts' },
  plugins: ['@stryker-mutator/vitest-runner'],
  mutate: [
    'src/core/{flows,rules,replay,orders,revenue,money,time}/**/*.ts',
    '!src/core/**/*.test.ts',
    '!src/core/**/testing/**',
    '!src/core/**/index.ts',
  ],
  // what is worded in a sentence is held by the tests of sentences; a word less is no fault of computation
  mutator: { excludedMutations: ['StringLiteral'] },
  coverageAnalysis: 'perTest',
  ignoreStatic: true,
  concurrency: 2,
  timeoutMS: 20_000,
  tempDirName: '.stryker',
  reporters: ['clear-text', 'progress'],
  clearTextReporter: { allowColor: false, logTests: false, reportTests: false },
};
