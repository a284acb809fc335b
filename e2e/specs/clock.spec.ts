import { expect, test } from '@playwright/test'

import { close, goOn, ownFilament, ownPrinter, startJob, verdict } from '../bench'
import { tickOpen, workTo } from '../closings'

/* The clock of a job: what it waits for, and work that is ticked out of order. */

test('the clock says what is next, and a cold step ticked before the plug is pulled is asked about', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Hibiscus')
  const filament = await ownFilament(request, printer, 'PETG of Hibiscus')
  const job = await startJob(request, printer, ['hot_end_fan', 'tube'], [filament])
  await workTo(page, request, job, 'tube_length')
  const clock = page.getByRole('region', { name: 'Clock of this job' })
  await expect(clock).toContainText(/it heats to 230 °C for “Strip and fit: tube”, which takes \d min/)
  await expect(clock.getByRole('img', { name: /The next hour: Tube length: hands/ })).toBeVisible()
  await page.getByLabel('Old tube, end to end').fill('415')
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  // The tube's length is known: it can be cut while the hot end cools.
  expect(await goOn(page, request, job)).toBe('fit.tube')
  const worktop = page.getByRole('region', { name: 'Worktop' })
  const steps = worktop.getByRole('checkbox')
  for (const box of await steps.all()) await box.check()
  const cool = page.getByRole('checkbox', { name: /wait until the hot end can be touched/ })
  await cool.uncheck()
  await expect(verdict(page)).toContainText('isn’t ticked. Tick it too; or untick what came after it')
  await tickOpen(page)
  await workTo(page, request, job, 'power_up')
  await expect(clock).toContainText('Now unplugged, filament out')
  // A phone has the words alone.
  await page.setViewportSize({ width: 390, height: 800 })
  await expect(clock).toContainText('Now unplugged')
  await expect(clock.getByRole('img')).toHaveCount(0)
})

test('a timer is set at a job, says what is left, and is ended', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Catalpa')
  const job = await startJob(request, printer, ['nozzle_same'])
  await page.goto(`/jobs/${job}/intake`)
  await page.getByRole('button', { name: 'Something happened' }).click()
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await dialog.getByRole('radio', { name: 'a timer' }).check()
  await dialog.getByLabel('What waits').fill('anneal at 100 °C')
  await dialog.getByLabel('Minutes').fill('5000')
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog.getByRole('alert')).toContainText('two days are the longest')
  await dialog.getByLabel('Minutes').fill('60')
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog).toHaveCount(0)
  const timers = page.getByRole('list', { name: 'Timers' })
  await expect(timers).toContainText('anneal at 100 °C: 60 min left')
  await timers.getByRole('button', { name: 'End the timer: anneal at 100 °C' }).click()
  await expect(timers).toHaveCount(0)
  await page.goto('/logbook')
  await expect(page.getByText('Timer ended: anneal at 100 °C')).toBeVisible()
})
