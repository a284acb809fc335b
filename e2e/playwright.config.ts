import { defineConfig } from '@playwright/test'

import { browser } from './browser'

export default defineConfig({
  testDir: 'specs',
  workers: 2,
  timeout: 180_000,
  /* A net on a machine that builds beside; a test that needs it is reported as flaky. */
  retries: process.env.CI ? 1 : 0,
  expect: { timeout: 15_000 },
  reporter: 'list',
  /* One action that hangs is said where it hangs. */
  use: { ...browser, actionTimeout: 30_000, baseURL: process.env.WATTOTHERM_URL },
})
