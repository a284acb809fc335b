import { readFile } from 'node:fs/promises'

import { expect, test } from '@playwright/test'

import { ownFilament, ownPrinter, pick, startJob, verdict } from '../bench'
import { tickOpen, workTo } from '../closings'

test('the bench is searched by what stands on it, and shows what is due', async ({ page, request }) => {
  const idle = await ownPrinter(request, 'Checker tree')
  await ownFilament(request, idle, 'PLA of Checker tree')
  const busy = await ownPrinter(request, 'Banyan')
  await startJob(request, busy, ['nozzle_same'])
  await page.goto('/')
  const rows = page.getByRole('main').getByRole('listitem')
  await page.getByLabel('Printer, complaint or customer').fill('checker')
  await expect(rows).toHaveCount(1)
  await expect(rows).toContainText('Nothing to do.')
  await page.getByRole('checkbox', { name: /What is due/ }).check()
  await expect(page.getByText('No printer like that.')).toBeVisible()
  await page.getByLabel('Printer, complaint or customer').fill('banyan intake')
  await expect(rows).toHaveCount(1)
  await expect(rows).toContainText('Next: Intake.')
})

test('jobs are listed by printer, state and words', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Mulberry')
  const job = await startJob(request, printer, ['bed_surface'])
  await page.goto('/jobs')
  const rows = page.getByRole('row').filter({ has: page.getByRole('cell') })
  await expect(rows.first()).toBeVisible()
  await pick(page.getByRole('main'), 'Printer', 'Mulberry')
  await expect(rows).toHaveCount(1)
  await expect(rows).toContainText(String(job))
  await page.getByRole('radio', { name: 'handed over' }).check()
  await expect(page.getByText('No job like that.')).toBeVisible()
  await page.getByRole('radio', { name: 'open' }).check()
  await expect(rows).toHaveCount(1)
  await page.getByLabel('Number, complaint, customer or technician').fill('scratched')
  await expect(page.getByText('No job like that.')).toBeVisible()
  await page.getByLabel('Number, complaint, customer or technician').fill('bench test')
  await expect(rows).toHaveCount(1)
})

test('a printer shows what a replaced part shook, and a value is noted on its page', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Damson', { offset_z: -1.6 })
  await ownFilament(request, printer, 'PETG of Damson')
  await startJob(request, printer, ['nozzle_same'])
  await page.goto(`/printers/${printer}`)
  await expect(page.getByText('Replaced in the open job: nozzle.')).toBeVisible()
  await page.getByRole('listitem', { name: 'tube', exact: true }).focus()
  await expect(page.getByText(/A new tube can shake: volumetric limit, flow/)).toBeVisible()
  await page.getByRole('listitem', { name: /^Retraction: / }).focus()
  await expect(page.getByText(/Hangs on nozzle, heat break/)).toBeVisible()

  await page.getByRole('button', { name: 'Note a value' }).click()
  const dialog = page.getByRole('dialog', { name: 'Note a value of Damson' })
  // The dialog takes the hand as it opens.
  await expect(dialog.locator(':focus')).toHaveCount(1)
  await pick(dialog, 'Which', 'Print temperature')
  await pick(dialog, 'Of which filament', 'PETG of Damson')
  await dialog.getByLabel('Value').fill('hot')
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog.getByText('“hot” is not a number. Type it in °C.')).toBeVisible()
  await dialog.getByLabel('Value').fill('464 °F')
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog).toBeHidden()
  await expect(page.getByRole('row', { name: /Print temperature 240 °C PETG of Damson/ })).toBeVisible()
  await page.getByRole('button', { name: 'Change Print temperature PETG of Damson' }).click()
  await expect(dialog.getByLabel('Value')).toBeFocused()
  await dialog.getByLabel('Value').fill('238')
  await dialog.getByLabel('Value').press('Enter')
  await expect(dialog.getByRole('button', { name: 'Note it' })).toBeFocused()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('row', { name: /Print temperature 238 °C PETG of Damson/ })).toBeVisible()
  await expect(page.getByRole('row', { name: /Print temperature 240 °C PETG of Damson/ })).toBeVisible()
})

test('heat logs show an example, look closer at it, and give its picture', async ({ page }) => {
  await page.goto('/traces')
  await expect(page.getByRole('heading', { name: 'The last logs that were kept' })).toBeVisible()
  await expect(page.getByRole('button', { name: /^Hazel: hold test/ })).toBeVisible()
  await page.getByRole('button', { name: 'Read an invented example' }).click()
  const chart = page.getByRole('img', { name: /^Temperature log: Sensor or wiring/ })
  await expect(chart.locator('canvas')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Whole' })).toHaveCount(0)
  await page.getByRole('button', { name: 'Closer' }).click()
  await page.getByRole('button', { name: 'Later' }).click()
  await page.getByRole('button', { name: 'Whole' }).click()
  await expect(page.getByRole('button', { name: 'Whole' })).toHaveCount(0)
  const [svg] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Keep as SVG' }).click(),
  ])
  const drawn = await readFile(await svg.path(), 'utf8')
  expect(drawn).toMatch(/^<svg[^>]*xmlns/)
  expect(drawn).toContain('4 min')
  const [png] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Keep as PNG' }).click(),
  ])
  // Source: W3C PNG, third edition, 5.2: the first eight bytes of every file.
  expect([...(await readFile(await png.path())).subarray(0, 8)]).toEqual([137, 80, 78, 71, 13, 10, 26, 10])
})

test('a step of the shop stands in its list in later jobs too, and what was ticked before stays', async ({
  page,
  request,
}) => {
  const first = await startJob(request, await ownPrinter(request, 'Ceiba'), ['part_fan'])
  await workTo(page, request, first, 'fit.part_fan')
  const steps = page.getByRole('region', { name: 'Worktop' }).getByRole('checkbox')
  const before = await steps.count()
  await steps.first().check()
  await page.getByRole('button', { name: 'A step of this shop' }).click()
  const dialog = page.getByRole('dialog', { name: 'A step of this shop' })
  await dialog.getByRole('button', { name: 'Keep it' }).click()
  await expect(dialog.getByRole('alert')).toContainText('Write down what to do.')
  await pick(dialog, 'Which step', '1.')
  await dialog.getByLabel('What to do').fill('Blow the duct out with the hand pump')
  await dialog.getByLabel('What proves it').fill('No dust comes any more')
  await dialog.getByRole('button', { name: 'Keep it' }).click()
  await expect(dialog).toHaveCount(0)
  await expect(steps).toHaveCount(before + 1)
  await expect(steps.first()).toBeChecked()
  await expect(steps.nth(1)).not.toBeChecked()
  await expect(verdict(page)).not.toContainText('Pass')
  await tickOpen(page)
  const second = await startJob(request, await ownPrinter(request, 'Oleander'), ['part_fan'])
  await workTo(page, request, second, 'fit.part_fan')
  await expect(page.getByRole('listitem').filter({ hasText: 'Blow the duct out' })).toContainText(
    'this shop’s',
  )
  await page.getByRole('button', { name: 'A step of this shop' }).click()
  await dialog.getByRole('button', { name: /Take away: Blow the duct out/ }).click()
  await dialog.getByRole('button', { name: 'Leave it' }).click()
  await expect(steps).toHaveCount(before)
})
