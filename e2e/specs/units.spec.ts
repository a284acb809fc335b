import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

import { expect, test } from '@playwright/test'

import { ownPrinter, startJob, verdict } from '../bench'
import { OwnServer } from '../server'

test('a shop of inches and Fahrenheit types, reads and keeps its own numbers, and the printer gets its own', async ({
  page,
  request,
}) => {
  const server = new OwnServer(['serve', '--data', mkdtempSync(join(tmpdir(), 'wattotherm-'))])
  try {
    const url = await server.start()
    const printer = await ownPrinter(request, 'Lychee', { drive: 93 }, url)
    const job = await startJob(request, printer, ['extruder_drive'], [], url)
    const at = `${url}/jobs/${job}/drive`
    const run = (n: number) => page.getByLabel(`Run ${n}, left over`)
    // In millimetres first: that reading stays what it is.
    await page.goto(at)
    await run(1).fill('27.5')
    await expect(page.getByText('Kept on disk.')).toBeVisible()

    await page.goto(`${url}/rules`)
    await page.getByRole('radio', { name: '°F' }).click({ force: true })
    await expect(page.getByText('Units kept.').first()).toBeVisible()
    await page.getByRole('radio', { name: 'inches' }).click({ force: true })
    await expect(page.getByLabel('Bed tram: height across the screws')).toHaveValue('0.00197')

    await page.goto(at)
    await expect(page.getByRole('heading', { level: 1 })).toHaveText(
      'Mark the filament 4.72 in above the inlet, feed 3.94 in, measure what is left.',
    )
    const box = (n: number) => page.locator('.box').filter({ has: run(n) })
    await expect(run(1)).toHaveValue('27.5')
    await expect(box(1)).toContainText('mm')
    await expect(box(2)).toContainText('in')
    await run(2).fill('1.063')
    await expect(verdict(page)).toContainText('Adjust: 93.0 → 100.3 steps/mm.')
    // While one types the foot is one line; the plot is back when the field is left.
    await run(2).blur()
    await expect(page.getByRole('img', { name: /^fed 3\.65|fed: 3\.65/ })).toBeVisible()
    // What goes to the printer is in its own units.
    await expect(page.getByLabel('Commands', { exact: true })).toContainText(/M92 E100\.2\d/)
    // A wrong number is refused in the shop's units, at its field.
    await run(3).fill('50')
    await expect(page.getByText(/can’t be 50 in: .* Type 0 to 39\.4 in\./).first()).toBeVisible()
    await run(3).fill('')
    await expect(verdict(page)).toContainText('Adjust')
    await expect(page.getByText('Kept on disk.')).toBeVisible()

    // Back in millimetres the inch stays an inch, and nothing else was made of it.
    await request.put(`${url}/api/v1/house/units`, { data: { temperature: 'celsius', length: 'millimetre' } })
    await page.reload()
    await expect(run(2)).toHaveValue('1.063 in')
    await expect(verdict(page)).toContainText('Adjust: 93.0 → 100.3 steps/mm.')
  } finally {
    await server.kill()
  }
})
