import { expect, test } from '@playwright/test'

import { OwnServer } from '../server'
import { pick } from '../bench'

/* Retakes docs/screenshots/ from fresh demo data: `make screenshots`. */
const views = [
  ['bench', '/'],
  ['new-job', '/jobs/new/1'],
  ['check', '/jobs/4/intake'],
  ['drive', '/jobs/3/drive'],
  ['trial-board', '/jobs/1/retraction.1'],
  ['offset-z', '/jobs/1/offset_z'],
  ['flow', '/jobs/1/flow.1'],
  ['acceptance', '/jobs/1/acceptance'],
  ['printer', '/printers/2'],
  ['logbook', '/logbook'],
  ['house-rules', '/rules'],
  ['prints', '/prints/2'],
  ['report', '/jobs/1/report'],
  ['heater-loop', '/jobs/6/heater_loop'],
  ['breaking-wire', '/jobs/7/heater_loop'],
  ['link', '/printers/5/link'],
  ['heat-logs', '/traces'],
  ['what-is-wrong', '/wrong/2'],
] as const

test('every main view, from the demo data', async ({ page }) => {
  const server = new OwnServer(['demo'])
  try {
    const url = await server.start()
    for (const [name, path] of views) {
      await page.goto(url + path)
      await expect(page.getByRole('heading', { level: 1 }).first()).toBeVisible()
      if (name === 'prints') {
        await page.getByLabel('First').fill('1.04')
        await page.getByLabel('Last').fill('1.16')
        await page.getByLabel('Step').fill('0.04')
        await page.getByLabel('Profile has').fill('1.05')
        await expect(page.getByRole('img', { name: /Layer at/ })).toBeVisible()
        await expect(page.getByText('with profile 1.092')).toBeVisible()
      }
      if (name === 'new-job') {
        await page.keyboard.press('t')
        await page.keyboard.press('u')
        await expect(page.getByText(/redo, since the tube/).first()).toBeVisible()
      }
      if (name === 'heater-loop') {
        const rules = page.getByRole('region', { name: 'What each rule would do' })
        await rules.getByRole('heading').evaluate((e) => {
          e.scrollIntoView({ block: 'start' })
        })
      }
      if (name === 'link') {
        // A printer at work: warmed up, and then left to cool.
        for (const line of ['M104 S210', 'M104 S0']) {
          await page.getByLabel('Send a command').fill(line)
          await page.getByRole('button', { name: 'Send' }).click()
          await expect(page.getByRole('heading', { level: 1 })).toContainText(
            line.endsWith('S0') ? 'Touch-safe in' : 'Heated: the nozzle to 210',
          )
          if (!line.endsWith('S0'))
            await expect(page.getByRole('contentinfo')).toContainText('nozzle 210°', { timeout: 60_000 })
        }
      }
      if (name === 'heat-logs') {
        await pick(page, 'Keep it with', 'Hazel')
        await page.getByRole('button', { name: /hold test/ }).click()
        await expect(page.getByText('Marked in the log')).toBeVisible()
      }
      // Charts are fetched where they are looked at.
      if (['heat-logs', 'heater-loop', 'breaking-wire', 'link'].includes(name))
        await expect(page.locator('canvas').first()).toBeVisible()
      // The heat strip's stream never ends, so the network is never idle.
      await page.evaluate(() => document.fonts.ready)
      await expect(page.getByText(/Opening the|keeping/)).toHaveCount(0)
      await page.screenshot({ path: `../docs/screenshots/${name}.png` })
    }
    await page.setViewportSize({ width: 390, height: 844 })
    await page.goto(`${url}/jobs/3/drive`)
    await expect(page.getByRole('button', { name: /Set and repeat/ })).toBeVisible()
    await page.screenshot({ path: '../docs/screenshots/phone.png' })
  } finally {
    await server.kill()
  }
})
