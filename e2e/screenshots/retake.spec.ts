import { expect, test } from '@playwright/test'

import { OwnServer } from '../server'

/* Retakes docs/screenshots/ from fresh demo data: `make screenshots`. */
const views = [
  ['bench', '/'],
  ['new-job', '/jobs/new/1'],
  ['check', '/jobs/4/intake'],
  ['drive', '/jobs/3/drive'],
  ['tram', '/jobs/5/tram'],
  ['offset-z', '/jobs/1/offset_z'],
  ['flow', '/jobs/1/flow.1'],
  ['acceptance', '/jobs/1/acceptance'],
  ['trial', '/jobs/1/retraction.1'],
  ['printer', '/printers/2'],
  ['logbook', '/logbook'],
  ['house-rules', '/rules'],
  ['jobs', '/jobs'],
  ['report', '/jobs/1/report'],
] as const

test('every main view, from the demo data', async ({ page }) => {
  const server = new OwnServer(['demo'])
  try {
    const url = await server.start()
    for (const [name, path] of views) {
      await page.goto(url + path)
      await expect(page.getByRole('heading', { level: 1 }).first()).toBeVisible()
      if (name === 'new-job') {
        await page.keyboard.press('t')
        await page.keyboard.press('u')
        await expect(page.getByText(/redo, since the tube/).first()).toBeVisible()
      }
      await page.waitForLoadState('networkidle')
      await page.screenshot({ path: `../docs/screenshots/${name}.png` })
    }
  } finally {
    await server.kill()
  }
})
