import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: 'core',
          // Files share what they have loaded and nothing else: loading it once saves half of the time.
          isolate: false,
          // Nothing here asserts how long it takes; a busy machine must not make it fail.
          testTimeout: 180_000,
          expect: { poll: { timeout: 60_000 } },
          include: [
            'core/tests/**/*.test.ts',
            'contract/tests/**/*.test.ts',
            'demo/tests/**/*.test.ts',
            'scripts/tests/**/*.test.ts',
            'web/tests/**/*.test.{ts,tsx}',
          ],
        },
      },
      {
        resolve: {
          alias: [
            {
              find: /^.*\/password-cost\.ts$/,
              replacement: fileURLToPath(new URL('server/tests/password-cost.ts', import.meta.url)),
            },
          ],
        },
        test: {
          name: 'server',
          // Loading the server takes longer than most files' tests; each file has a database and a server of its own.
          isolate: false,
          include: ['server/tests/**/*.test.ts', 'stand-ins/tests/**/*.test.ts'],
          globalSetup: ['server/tests/global-setup.ts'],
          testTimeout: 180_000,
          hookTimeout: 240_000,
          expect: { poll: { timeout: 60_000 } },
          // Each file makes its own database; much of what they do is to wait for servers, and three at a time keep two cores busy.
          maxWorkers: 3,
          sequence: { groupOrder: 1 },
        },
      },
    ],
  },
})
