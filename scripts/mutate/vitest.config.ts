import { defineConfig } from 'vitest/config'

/** The tests of core that say what is right. Left out are those that only say how long it takes. */
export default defineConfig({
  test: {
    include: ['core/tests/**/*.test.ts'],
    exclude: ['core/tests/linear.test.ts', 'core/tests/fuzz.test.ts'],
  },
})
