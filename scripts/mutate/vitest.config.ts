import { defineConfig } from 'vitest/config'

/** The tests of core that say what is right. Left out are those that only say how long it takes. */
export default defineConfig({
  test: {
    // Stryker has a time limit of its own; a busy machine must not look like a hole.
    testTimeout: 60_000,
    include: ['core/tests/**/*.test.ts'],
    exclude: ['core/tests/linear.test.ts', 'core/tests/fuzz.test.ts'],
    // A change is tried by tests of many files; they load core once.
    isolate: false,
  },
})
