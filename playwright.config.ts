import { defineConfig } from '@playwright/test'

export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/global-setup.ts',
  workers: 1,
  // A machine shared with others can stand still for seconds; what fails twice is a fault. Told as flaky.
  retries: process.env.CI ? 1 : 0,
  // Long, because a slow machine is no fault; a test that passes never waits for them.
  timeout: 240_000,
  expect: { timeout: 30_000 },
  outputDir: '.pendro/browser',
  use: {
    actionTimeout: 60_000,
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/Oslo',
    launchOptions: {
      // Debian's Chromium without what draws windows: the same engine, a quarter quicker.
      executablePath: '/usr/bin/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
  },
})
