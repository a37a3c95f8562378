/** Mutation testing of core: `npm run mutate`. What it found stands in docs/mutation.md. */
export default {
  testRunner: 'vitest',
  plugins: ['@stryker-mutator/vitest-runner'],
  vitest: { configFile: 'scripts/mutate/vitest.config.ts', related: false },
  coverageAnalysis: 'perTest',
  mutate: ['core/src/**/*.ts', '!core/src/types.d.ts'],
  ignorePatterns: ['/*', '!core', '!contract', '!demo', '!scripts', '!web', 'web/dist', '!tsconfig*.json'],
  tempDirName: '.pendro/mutants',
  reporters: ['progress-append-only', 'clear-text', 'json'],
  jsonReporter: { fileName: '.pendro/mutants.json' },
  concurrency: 2,
  timeoutMS: 4000,
  // What has not changed since the last run is not changed anew.
  incremental: true,
  incrementalFile: '.pendro/mutants-before.json',
  // Tables and patterns are made once, when a file is loaded: each change of one would need all tests. They have tests of their own.
  ignoreStatic: true,
  allowEmpty: true,
}
