import { expect, test } from '@playwright/test'

import { ownPrinter, pick, startJob, station } from '../bench'

test('a printer is added by its form, and a twin of its name is refused', async ({ page }) => {
  await page.goto('/')
  await page.getByRole('button', { name: 'Add a printer' }).click()
  const dialog = page.getByRole('dialog', { name: 'Add a printer' })
  const onward = dialog.getByRole('button', { name: 'Go on' })
  await expect(dialog.getByRole('heading', { name: '1 of 3, the machine' })).toBeVisible()
  await dialog.getByRole('button', { name: 'Add, the rest is not known' }).click()
  await expect(dialog.getByText('Type the printer’s name, 1 to 80 characters.')).toBeVisible()
  await expect(dialog.getByLabel('Name', { exact: true })).toBeFocused()
  await dialog.getByLabel('Name', { exact: true }).fill('Rowan')
  await dialog.getByLabel('Kind, in your words').fill('bed-slinger')
  await dialog.getByLabel('width', { exact: true }).fill('wide')
  await onward.click()
  await expect(dialog.getByRole('combobox', { name: /^material: / })).toBeVisible()
  await dialog.getByLabel('power, as marked').fill('400')
  await onward.click()
  await dialog.getByLabel('supply', { exact: true }).fill('230')
  const add = dialog.getByRole('button', { name: 'Add', exact: true })
  await add.click()
  // The form goes back to the step of what is to be put right, and the hand with it.
  await expect(dialog.getByText('“wide” is not a number.')).toBeVisible()
  await expect(dialog.getByLabel('width', { exact: true })).toBeFocused()
  await expect(dialog.getByLabel('width', { exact: true })).toHaveValue('wide')
  await dialog.getByLabel('width', { exact: true }).fill('5')
  await dialog.getByRole('button', { name: 'Add, the rest is not known' }).click()
  await expect(dialog.getByText('The width of the build volume can’t be 5 mm')).toBeVisible()
  await dialog.getByLabel('width', { exact: true }).fill('235')
  await onward.click()
  await onward.click()
  await expect(dialog.getByText('mains goes into the supply, not into the board')).toBeVisible()
  await dialog.getByLabel('supply', { exact: true }).fill('24')
  await add.click()
  await dialog.getByRole('button', { name: 'Take 40' }).click()
  await onward.click()
  await add.click()
  await expect(dialog.getByRole('alert')).toContainText('There is already a printer called Rowan.')
  await dialog.getByRole('button', { name: 'Back' }).click()
  await dialog.getByRole('button', { name: 'Back' }).click()
  await dialog.getByLabel('Name', { exact: true }).fill('Sycamore')
  await dialog.getByRole('button', { name: 'Add, the rest is not known' }).click()
  const added = page.getByRole('link', { name: 'New job on Sycamore', exact: true })
  await expect(added).toBeVisible()
  await expect(added).toBeFocused()
})

test('the traveller grows as parts are chosen and shrinks as they are taken back', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Mangrove')
  await page.goto(`/jobs/new/${printer}`)
  await expect(page.getByRole('heading', { name: 'What was replaced on Mangrove?' })).toBeVisible()
  await page.keyboard.press('h')
  await expect(page.getByRole('checkbox', { name: 'heater cartridge, replaced' })).toBeChecked()
  await expect(station(page, 'Heater loop')).toContainText('redo, since the heater cartridge was replaced')
  await page.keyboard.press('n')
  await expect(station(page, 'Z offset')).toContainText('redo')
  await page.getByRole('radio', { name: 'nozzle, other bore' }).check()
  await expect(station(page, 'Nozzle profile')).toContainText('redo')
  await page.reload()
  await expect(page.getByRole('radio', { name: 'nozzle, other bore' })).toBeChecked()
  await page.keyboard.press('n')
  await expect(station(page, 'Nozzle profile')).toHaveCount(0)
})

test('a filament is added where the job needs it and is worked through', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Walnut')
  await page.goto(`/jobs/new/${printer}`)
  await expect(page.getByRole('heading', { name: 'What was replaced on Walnut?' })).toBeVisible()
  await page.keyboard.press('n')
  await page.getByRole('button', { name: 'Add filament' }).click()
  await expect(page.getByRole('alert')).toHaveText('Type the filament’s name, 1 to 80 characters.')
  await page.getByLabel('Another filament, by name').fill('PLA of Walnut')
  await page.getByLabel('Material', { exact: true }).fill('PLA')
  await page.getByRole('button', { name: 'Add filament' }).click()
  await expect(page.getByLabel('PLA of Walnut')).toBeChecked()
  await expect(station(page, 'Flow')).toContainText('verify, since the nozzle was replaced')
})

test('the chain of a printer shows the opened link and why', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Acacia', { drive: 400, tram: 0.04 })
  await startJob(request, printer, ['extruder_motor'])
  await page.goto(`/printers/${printer}`)
  const link = page.getByRole('listitem', { name: /^Drive:/ })
  await expect(link).toHaveAccessibleName(
    /400 steps\/mm\. Drive: redo, since the extruder motor was replaced\./,
  )
  await link.focus()
  await expect(page.getByRole('status')).toContainText('Drive: redo, since the extruder motor was replaced.')
  await expect(page.getByRole('listitem', { name: /^Bed tram:/ })).toHaveAccessibleName(/Bed tram: holds\./)
})

test('a tolerance is kept, a foolish one is refused with its bounds', async ({ page }) => {
  await page.goto('/rules')
  const field = page.getByLabel('Test cube: each edge')
  await field.fill('0,2')
  await field.press('Tab')
  await expect(page.getByText('Test cube: each edge: 0.2 mm kept.')).toBeVisible()
  await page.reload()
  await expect(field).toHaveValue('0.2')
  await field.fill('7')
  await field.press('Tab')
  await expect(page.getByText('Test cube: each edge can’t be 7 mm. Type 0.01 to 1 mm.')).toBeVisible()
  await field.fill('0.1')
  await field.press('Tab')
  await expect(page.getByText('Test cube: each edge: 0.1 mm kept.')).toBeVisible()
})

test('the shop changes a cell of the chain and it shows', async ({ page }) => {
  await page.goto('/rules')
  await pick(page, 'When this is replaced', 'part fan')
  await pick(page, 'this parameter is', 'Heater loop')
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByText('Say why your shop differs here.')).toBeVisible()
  await page.getByLabel('because').fill('ours blow on the block')
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByRole('row', { name: /^part fan/ })).toContainText('V')
})

test('a note is written and found again by its words', async ({ page }) => {
  await page.goto('/logbook')
  await page.getByRole('button', { name: 'Write' }).click()
  await expect(page.getByRole('alert')).toHaveText('Type the note, 1 to 4000 characters.')
  await page.getByLabel('Write a note').fill('<b>Spool</b> 14 dried for 6 h')
  await page.getByRole('button', { name: 'Write' }).click()
  await page.getByLabel('Containing').fill('dried for 6 h')
  await expect(page.getByRole('row')).toHaveCount(2)
  await expect(page.getByRole('row').last()).toContainText('<b>Spool</b> 14 dried for 6 h')
})

test('a report prints to at most two pages of A4', async ({ page }) => {
  await page.goto('/jobs/1/report')
  await expect(page.getByRole('cell', { name: 'Acceptance' })).toBeVisible()
  const pdf = (await page.pdf({ format: 'A4' })).toString('latin1')
  const pages = pdf.match(/\/Type\s*\/Page[^s]/g)?.length ?? 0
  expect(pages).toBeGreaterThan(0)
  expect(pages).toBeLessThanOrEqual(2)
})

test('a printer is put right, renamed, retired and taken back, and the book tells', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Rattan')
  const renamed = `Weeping willow ${printer}`
  await page.goto(`/printers/${printer}`)
  await page.getByRole('button', { name: 'What is known of it' }).click()
  const dialog = page.getByRole('dialog', { name: 'What is known of Rattan' })
  await expect(dialog.getByLabel('bore')).toHaveValue('0.4')
  await dialog.getByLabel('Name', { exact: true }).fill(renamed)
  await dialog.getByLabel('bore').fill('0.8')
  await pick(dialog, 'heat break', 'all-metal')
  await dialog.getByRole('button', { name: 'Keep' }).click()
  await expect(dialog).toBeHidden()
  await expect(page.getByRole('heading', { name: renamed, exact: true })).toBeVisible()
  await expect(page.getByText('all-metal hot end, bore 0.8 mm')).toBeVisible()
  await page.getByRole('button', { name: 'Retire this printer' }).click()
  await expect(page.getByText('Its history stays.')).toBeVisible()
  await page.goto('/')
  await expect(page.getByRole('link', { name: `New job on ${renamed}`, exact: true })).toBeHidden()
  await page.getByRole('link', { name: renamed }).click()
  await page.getByRole('button', { name: 'Take it back into the shop' }).click()
  await expect(page.getByRole('link', { name: 'New job' })).toBeVisible()
  await page.goto('/logbook')
  await expect(
    page.getByText(/put right: renamed, was Rattan; .*bore 0\.8 mm \(was bore 0\.4 mm\)/),
  ).toBeVisible()
})

test('no page is higher than its screen: only its parts scroll', async ({ page }) => {
  await page.setViewportSize({ width: 1280, height: 800 })
  for (const path of [
    '/jobs/6/heater_loop',
    '/jobs/4/intake',
    '/jobs/3/drive',
    '/jobs/new/1',
    '/rules',
    '/logbook',
  ]) {
    await page.goto(path)
    await expect(page.getByRole('heading', { level: 1 }).first()).toBeVisible()
    await expect.poll(() => page.evaluate(() => document.documentElement.scrollHeight), path).toBe(800)
  }
})
