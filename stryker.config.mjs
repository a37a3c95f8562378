/** Mutation testing of core: `npm run mutate`. What it found stands in docs/mutation.md. */
export default {
  testRunner: 'vitest',
  plugins: ['@stryker-mutator/vitest-runner'],
  vitest: { configFile: 'scripts/mutate/vitest.config.ts', related: false },
  coverageAnalysis: 'perTest',
  mutate: ['core/src/**/*.ts', '!core/src/types.d.ts'],
  ignorePatterns: ['/*', '!core', '!contract', '!demo', '!scripts', '!tsconfig*.json'],
  tempDirName: 'node_modules/.stryker',
  reporters: ['clear-text', 'json'],
  jsonReporter: { fileName: 'node_modules/.stryker-report.json' },
  concurrency: 2,
  timeoutMS: 15000,
  allowEmpty: true,
}
