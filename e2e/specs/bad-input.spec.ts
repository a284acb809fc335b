import { expect, test } from '@playwright/test'

import { openAll, ownPrinter, startJob, verdict } from '../bench'

test('a slipped decimal point is asked about, and either answer is taken', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Hawthorn', { drive: 100 })
  const job = await startJob(request, printer, ['extruder_motor'])
  await page.goto(`/jobs/${job}/drive`)
  await page.getByLabel('Run 1, left over').fill('20')
  await page.getByLabel('Run 2, left over').fill('2.1')
  await expect(
    page.getByText('2.1 mm is unusual for the rest. Did you mean 21 mm? Confirm it if it is right.').first(),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Take 21' }).click()
  await expect(page.getByLabel('Run 2, left over')).toHaveValue('21')
  await expect(verdict(page)).toContainText(/steps\/mm|settle/)
  await page.getByLabel('Run 2, left over').fill('2.1')
  await page.getByRole('button', { name: 'It is right' }).click()
  await expect(page.getByText(/unusual for the rest/)).toHaveCount(0)
})

test('a negative rest and an absurd mark say what to do', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Avocado', { drive: 100 })
  const job = await startJob(request, printer, ['extruder_motor'])
  await page.goto(`/jobs/${job}/drive`)
  await page.getByLabel('Run 1, left over').fill('-4')
  await expect(page.getByText(/mark farther up and feed again/).first()).toBeVisible()
  await openAll(page)
  await page.getByLabel('Mark above inlet').fill('99999')
  await expect(page.getByText(/can’t be 99999 mm/).first()).toBeVisible()
})

test('a job without a part, and a file that is no job, are refused with the way out', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Cherry')
  await page.goto(`/jobs/new/${printer}`)
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page.getByRole('alert')).toHaveText('Choose at least one part that was replaced.')
  await page.goto('/jobs')
  await page.getByLabel('Take in a job file').setInputFiles({
    name: 'broken.json',
    mimeType: 'application/json',
    buffer: Buffer.from('{\n  "wattotherm_job": 1,\n  "printer": 5\n}'),
  })
  await expect(page.getByRole('alert')).toContainText(/Line 3, column \d+, printer: .*Nothing was imported\./)
})

test('every number of the house rules refuses what is no number and keeps what was typed', async ({
  page,
}) => {
  await page.goto('/rules')
  const numbers = page.locator('input[inputmode=decimal]')
  // Tolerances and instruments come one after the other.
  await expect.poll(() => numbers.count()).toBeGreaterThan(20)
  const n = await numbers.count()
  for (let i = 0; i < n; i += 1) {
    const box = numbers.nth(i)
    const before = await box.inputValue()
    await box.fill(`${i}x4`)
    await box.press('Tab')
    await expect(page.getByText(new RegExp(`“${i}x4” is not a number\\. Type`))).toBeVisible()
    await expect(box).toHaveValue(`${i}x4`)
    await box.fill(before)
  }
})

test('minutes that are no numbers are refused at intake, and stay', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Mimosa')
  await page.goto(`/jobs/new/${printer}`)
  await page.getByRole('checkbox', { name: 'tube, replaced' }).click()
  await page.getByRole('radio', { name: 'after a while' }).check()
  const times = page.getByLabel(/After how many minutes/)
  for (const [typed, said] of [
    ['an hour', 'Type the minutes as numbers with spaces between, e.g. 55 70 62.'],
    ['-5', 'Type minutes of printing, above 0 and at most 100 000.'],
  ] as const) {
    await times.fill(typed)
    await page.getByRole('button', { name: /Start job/ }).click()
    await expect(page.getByRole('alert')).toHaveText(said)
    await expect(times).toHaveValue(typed)
  }
})
