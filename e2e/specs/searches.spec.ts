import { expect, test, type Page } from '@playwright/test'

import { close, fillAll, ownFilament, ownPrinter, startJob, verdict } from '../bench'
import { accept, tickOpen, toTemperature, workTo } from '../closings'

/* A whole filament set-up of a printer without a link: pieces made and saved, looks typed. */

/** What is printed for a station is made from what stands in its form, and leads back. */
async function piece(page: Page, says: string, title: string, holds: Record<string, string>) {
  const station = page.url()
  await page.getByRole('button', { name: says }).click()
  await expect(page).toHaveURL(/\/prints\?/)
  for (const [label, value] of Object.entries(holds))
    await expect(page.getByLabel(new RegExp(`^${label}`))).toHaveValue(value)
  await page.getByRole('button', { name: title }).click()
  await expect(page).toHaveURL(/\/prints\/\d+/)
  const saved = page.waitForEvent('download')
  await page
    .getByRole('link', { name: 'Save the file' })
    .or(page.getByRole('button', { name: 'Save the file' }))
    .click()
  expect((await saved).suggestedFilename()).toMatch(/\.gcode$/)
  await page.getByRole('link', { name: 'Back to the station' }).click()
  await expect(page).toHaveURL(station)
}

const scores = (
  row: number,
  [bridge, overhang, strings, bond]: readonly [string, string, string, string],
) => ({
  [`Bridge ${row}`]: bridge,
  [`Overhang ${row}`]: overhang,
  [`Strings ${row}`]: strings,
  [`Bond ${row}`]: bond,
})

test('a filament is set up from temperature to acceptance by pieces, looks and a trial board', async ({
  page,
  request,
}) => {
  test.setTimeout(180_000)
  const printer = await ownPrinter(request, 'Tamarind', { profile: 0.4, offset_z: -1.62 })
  const filament = await ownFilament(request, printer, 'PETG of Tamarind')
  const job = await toTemperature(page, request, printer, filament)
  await expect(page.getByRole('img', { name: 'Reference pictures for bridge' })).toBeVisible()
  await piece(page, 'Make this tower', 'Make the band tower', { 'Lowest band': '235', 'How many bands': '5' })
  await page.getByRole('button', { name: 'One more band' }).click()
  for (const [i, row] of (
    [
      ['1', '2', '0', '4'],
      ['2', '3', '1', '4'],
      ['3', '4', '3', '4'],
      ['4', '4', '4', '4'],
      ['4', '4', '4', '3'],
      ['4', '4', '4', '1'],
    ] as const
  ).entries())
    await fillAll(page, scores(i + 1, row))
  await expect(verdict(page)).toContainText('Adjust: 230 °C → 215 °C')
  await close(page, /Set and repeat/)
  await page
    .getByRole('group', { name: /Printed once more/ })
    .getByRole('radio', { name: 'yes' })
    .check()
  await expect(verdict(page)).toContainText('Pass: 215 °C stays')
  await close(page)

  // Limit: less than half of what was claimed.
  await workTo(page, request, job, `volumetric_limit.${filament}`)
  await piece(page, 'Make this ladder', 'Make the flow ladder', { 'First flow': '4', 'How many heaps': '8' })
  for (const [i, grams] of ['0.612', '0.610', '0.611', '0.609', '0.575', '0.528', '0.48', '0.43'].entries())
    await page.getByLabel(`Heap ${i + 1}`, { exact: true }).fill(grams)
  await fillAll(page, { 'Claimed by the seller': '30' })
  await expect(page.getByText(/Claimed 30 mm³\/s, found 11\.\d mm³\/s .*less than half/)).toBeVisible()
  await expect(verdict(page)).toContainText(/Adjust: 9 mm³\/s → 10|Pass: 9 mm³\/s/)
  if (await page.getByRole('button', { name: /Set and repeat/ }).isVisible())
    await close(page, /Set and repeat/)
  await expect(verdict(page)).toContainText('Pass')
  await close(page)

  // Flow: two neighbours of the coarse cards can't be told apart; the fine ones settle it.
  await workTo(page, request, job, `flow.${filament}`)
  await page.getByRole('radio', { name: 'cards, by eye' }).check()
  await fillAll(page, { Key: '0', 'First look': 'F', 'Second look': 'e f' })
  await expect(verdict(page)).toContainText(/Measure again|Adjust/)
  await piece(page, 'Make these cards', 'Make the flow cards', { 'Least, in per cent': '-20', Order: '0' })
  await fillAll(page, { 'First look': 'F g', 'Second look': 'G' })
  await expect(verdict(page)).toContainText('Adjust: flow 98.0 → 105.4 %')
  await close(page, /Set and repeat/)
  await expect(page.getByLabel('Step', { exact: true })).toHaveValue('1')
  await fillAll(page, { Key: '0', 'First look': 'E', 'Second look': 'E' })
  await expect(verdict(page)).toContainText('Pass: flow 105.4 % stays')
  await close(page)

  // Pressure advance: lines in an order that isn't known, then corners.
  await workTo(page, request, job, `pressure_advance.${filament}`)
  await expect(page.getByRole('img', { name: /A line with too little/ })).toBeVisible()
  await fillAll(page, { Key: '0', 'First look': '13', 'Second look': '13 14' })
  await expect(page.getByText('an eye that knows the values sees what it expects')).toBeVisible()
  await expect(verdict(page)).toContainText('Adjust: 0.5 s → 0.625 s')
  await close(page, /Set and repeat/)
  // Where the looks are there and agree, the keyboard begins at the question that is left.
  await fillAll(page, { 'First look': '13 14' })
  await expect(page.getByText('Kept on disk.')).toBeVisible()
  await page.reload()
  const corners = page.getByRole('group', { name: /Corners printed/ }).getByRole('radio', { name: 'yes' })
  await expect(corners).toBeFocused()
  await page.keyboard.press('y')
  await expect(corners).toBeChecked()
  await expect(verdict(page)).toContainText('Pass: 0.625 s stays')
  await close(page)

  // Retraction: the board says what each change earned, and what to print next.
  await workTo(page, request, job, `retraction.${filament}`)
  await fillAll(page, {
    'Distance 1': '4.8',
    'Speed 1': '25',
    'Travel 1': '150',
    'Hop 1': '0.2',
    'Strings 1': '4',
  })
  await expect(verdict(page)).toContainText('Measure again: print')
  await piece(page, 'Make these posts', 'Make the string posts', {
    'First value': '4.8',
    'How many bands': '1',
  })
  // A picture of the print, as a camera file has it.
  const strip = page.getByRole('region', { name: 'Pictures' })
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'print.png', mimeType: 'image/png', buffer: await page.screenshot() })
  await expect(strip.getByRole('figure')).toContainText('print 1')
  await page.getByRole('button', { name: 'One more print' }).click()
  await expect(page.getByLabel('Distance 2')).toBeFocused()
  await fillAll(page, { 'Distance 2': '4.8', 'Speed 2': '25', 'Hop 2': '0', 'Strings 2': '2' })
  await expect(page.getByText('hop 0.2 mm → 0 mm: earned 2, against print 1')).toBeVisible()
  await page.getByRole('button', { name: 'One more print' }).click()
  await fillAll(page, { 'Distance 3': '5.4', 'Speed 3': '15', 'Hop 3': '0', 'Strings 3': '0' })
  await expect(
    page.getByText(/distance and speed changed at once against print 2: credits none/),
  ).toBeVisible()
  await page.getByRole('button', { name: 'One more print' }).click()
  await fillAll(page, { 'Distance 4': '4.8', 'Speed 4': '15', 'Hop 4': '0', 'Strings 4': '0' })
  await expect(page.getByText('speed 25 mm/s → 15 mm/s: earned 2, against print 2')).toBeVisible()
  await expect(page.getByRole('img', { name: 'Predicted score over distance and speed' })).toBeVisible()
  await expect(verdict(page)).toContainText('Pass: 4.8 mm stays')
  await close(page)

  await workTo(page, request, job, 'acceptance')
  await accept(page)
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  const report = page.getByRole('article')
  for (const found of ['230 °C → 215 °C', '98.0 → 105.4 %', '0.5 s → 0.625 s', '4.8 mm'])
    await expect(report).toContainText(found)
  await expect(report.getByRole('figure').filter({ hasText: 'Retraction: print 1' })).toBeVisible()
})

test('two looks that differ, a range that ends and a tower without a good band are said as such', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Carob')
  const filament = await ownFilament(request, printer, 'PETG of Carob')
  const job = await startJob(request, printer, ['heat_break_same', 'tube'], [filament])
  await page.goto(`/jobs/${job}/pressure_advance.${filament}`)
  await fillAll(page, { Key: '0', 'First look': '4', 'Second look': '15' })
  await expect(verdict(page)).toContainText('the first look says')
  await fillAll(page, { 'First look': '21', 'Second look': '21' })
  await expect(verdict(page)).toContainText('Measure again: the best is the last of the range')
  await fillAll(page, { 'First look': '22' })
  await expect(verdict(page)).toContainText('There is no “22”. Name 1 to 21.')
  await page.goto(`/jobs/${job}/print_temp.${filament}`)
  for (const row of [1, 2, 3]) await fillAll(page, scores(row, ['1', '1', '0', '1']))
  await expect(verdict(page)).toContainText('Stop: no temperature gives a good print')
  // Nothing typed is lost.
  await page.reload()
  await expect(page.getByLabel('Bridge 3', { exact: true })).toHaveValue('1')
})
