import { expect, test } from '@playwright/test'

import { close, fillAll, ownFilament, ownPrinter, pick, startJob, verdict } from '../bench'
import { accept, tickAll } from '../closings'

/* A phone beside the machine: 390 px, fingers, no keyboard but the glass's. */
test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true })

test('a nozzle job is done wholly on a phone', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Whitebeam', { offset_z: -1.62 })
  const filament = await ownFilament(request, printer, 'PETG of Whitebeam')
  const job = await startJob(request, printer, ['nozzle_same'], [filament])
  await page.goto(`/jobs/${job}`)
  // The route is one line, and the whole of it behind a tap.
  await expect(page.getByText(/job \d+: Intake, 1 of \d+/)).toBeVisible()
  await page.getByRole('button', { name: 'Route' }).tap()
  const route = page.getByRole('dialog').getByRole('list', { name: 'Stations of this job' })
  await expect(route.getByRole('listitem').filter({ hasText: 'Z offset' })).toContainText('redo')
  await page.keyboard.press('Escape')
  await expect(route).toHaveCount(0)

  await tickAll(page, /keep what it knows/)
  await page.getByLabel('No report? Say why').fill('no cable here')
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  await tickAll(page, /Print the test piece/)
  await tickAll(page, /Change the nozzle hot/)
  await fillAll(page, { 'Nozzle when tightened': '230', 'Waited after extruding': '2' })
  // As one does it: the glass's keyboard goes away, then a finger comes.
  await page.getByLabel('Waited after extruding').blur()
  await expect(verdict(page).getByText('Say whether the block was held')).toBeVisible()
  for (const [question, answer] of [
    ['Was the block held with a second tool?', 'yes'],
    ['Is a gap left between hex and block?', 'yes'],
    ['Does plastic seep above the nozzle?', 'no'],
  ] as const) {
    const radio = page.getByRole('group', { name: question }).getByText(answer, { exact: true })
    await radio.tap()
    await expect(
      page.getByRole('group', { name: question }).getByRole('radio', { name: answer }),
    ).toBeChecked()
  }
  await close(page)

  await pick(page, 'Instrument', 'micrometer')
  const corners = ['front left', 'front right', 'middle', 'back left', 'back right']
  await fillAll(page, Object.fromEntries(corners.map((c) => [c, '0,20'])))
  // Caution is seen before the hand is at the machine; the rest of the reasons is behind a tap.
  await expect(page.getByRole('note').filter({ hasText: 'Hot nozzle' })).toBeVisible()
  await page.getByRole('button', { name: 'Why, commands' }).tap()
  await expect(page.getByRole('heading', { name: 'Why this station' })).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('heading', { name: 'Why this station' })).toHaveCount(0)
  await expect(verdict(page)).toContainText('Pass: Z offset -1.620 mm stays.')
  const button = page.getByRole('button', { name: /Close station/ })
  const box = await button.boundingBox()
  expect(box?.height ?? 0, 'as high as a thumb').toBeGreaterThanOrEqual(44)
  await close(page)

  await tickAll(page, /before you tune/)
  await pick(page, 'Instrument', 'micrometer')
  for (const side of [1, 2, 3, 4])
    await fillAll(page, { [`side ${side}, low`]: '0,45', [`side ${side}, high`]: '0,452' })
  await expect(verdict(page)).toContainText('Pass: flow')
  await close(page)
  await fillAll(page, { 'Distance 1': '4,8', 'Speed 1': '25', 'Strings 1': '0' })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  await accept(page)
  await page
    .getByRole('group', { name: /switched off and on/ })
    .getByText('yes', { exact: true })
    .tap()
  await page.getByLabel('No report? Say why').fill('no cable here')
  await close(page)
  await tickAll(page, /Look it over once more/)
  await expect(page.getByRole('heading', { name: /Recalibration of Whitebeam/ })).toBeVisible()
})

test('what happened to a job is noted on a phone', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Rowantree', { drive: 93 })
  const job = await startJob(request, printer, ['extruder_motor'])
  await page.goto(`/jobs/${job}`)
  await page.getByRole('button', { name: 'Route' }).tap()
  // The end of the route is not behind the strip with the stops.
  await page.getByRole('button', { name: 'Something happened' }).tap()
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await dialog.getByText('pause', { exact: true }).tap()
  await dialog.getByLabel(/The job keeps its place/).fill('hands are tired')
  await dialog.getByRole('button', { name: 'Note it' }).tap()
  await expect(dialog).toHaveCount(0)
  await page.goto('/')
  await expect(page.getByText('Paused: hands are tired.')).toBeVisible()
})
