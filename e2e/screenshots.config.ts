import { defineConfig } from '@playwright/test'

import { browser } from './browser'

export default defineConfig({
  testDir: 'screenshots',
  workers: 1,
  timeout: 240_000,
  reporter: 'list',
  use: browser,
})
