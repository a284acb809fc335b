import { expect, test } from '@playwright/test'

import { close, fillAll, ownFilament, ownPrinter, startJob, verdict } from '../bench'
import { tickOpen, workTo } from '../closings'

/** Walls of 0.45 × 0.2 mm beads: a file for a bore of 0.4. */
const file = () => {
  const out = ['; hornbeam', 'M83', 'G90', 'M109 S205', 'G28', 'G0 X20 Y20 F6000', 'G1 F1800']
  /* 0.0814 mm² of bead over 2.405 mm² of filament. */
  const e = (40 * 0.0814) / 2.405
  for (let l = 1; l <= 10; l += 1)
    out.push(`G1 Z${(0.2 * l).toFixed(1)}`, `G1 X60 Y20 E${e.toFixed(4)}`, `G1 X20 Y20 E${e.toFixed(4)}`)
  return out.join('\n')
}

test('a bigger bore: the profile is read off, set and saved in both places, and the file of the old bore is named', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Iroko', { profile: 0.4 })
  const filament = await ownFilament(request, printer, 'PLA of Iroko')
  const kept = await request.post('/api/v1/prints?name=hornbeam.gcode', {
    data: Buffer.from(file()),
    headers: { 'content-type': 'application/octet-stream' },
  })
  const print = ((await kept.json()) as { id: number }).id
  // It was printed on this printer, with the old bore: 400 mm of beads twice over, at 30 mm/s.
  const run = await request.post(`/api/v1/prints/${print}/runs`, {
    data: { printer_id: printer, minutes: '0.5' },
  })
  expect(run.status()).toBe(201)
  const job = await startJob(request, printer, ['nozzle_other_bore'], [filament])
  await workTo(page, request, job, 'fit.nozzle_other_bore')
  await page.getByRole('textbox', { name: 'bore' }).fill('0.6')
  await tickOpen(page)
  await workTo(page, request, job, 'profile')
  await expect(page.getByLabel('Bore in the profile now')).toHaveValue('0.6')
  await expect(page.getByRole('img', { name: 'Beads under the nozzle, cut across' })).toBeVisible()
  await fillAll(page, {
    'Outer wall, width': '0,42',
    Layer: '0.2',
    'Outer wall, speed': '80',
    'Volumetric limit': '12',
  })
  await expect(verdict(page)).toContainText('Adjust: bore')
  const table = page.getByRole('main')
  await expect(table).toContainText('0.63 mm: the same share of the bore')
  await expect(table).toContainText('70 mm/s: 12 mm³/s over a bead of 0.17 mm²')
  await expect(table).toContainText('The last sliced file lays beads of 0.45 mm × 0.2 mm')
  // Whether it was worth it: the usual part by the clock, in the shop's money.
  await page.getByText('Is the bigger bore worth it?').click()
  await fillAll(page, { 'Usual part before': '63', 'Usual part now': '44', 'An hour of the machine': '3' })
  await expect(table).toContainText('44 min instead of 63 min, 30 % saved')
  await expect(table).toContainText('saves 0.95 a part')
  await close(page, /Set and repeat/)
  await fillAll(page, { 'Outer wall, width': '0.63', Layer: '0.3', 'Outer wall, speed': '70' })
  await page.getByRole('checkbox', { name: /saved with the printer/ }).check()
  await expect(verdict(page)).toContainText('tick it')
  await page.getByRole('checkbox', { name: /saved with the way to print/ }).check()
  await expect(verdict(page)).toContainText('Pass: the profile is for 0.6 mm')
  await close(page)
  await page.goto(`/jobs/${job}/report`)
  await expect(page.getByRole('article')).toContainText('0.4 mm → 0.6 mm')
  // The page of the old file says the same, once this printer is chosen.
  await page.goto(`/prints/${print}?printer=${printer}`)
  await expect(page.getByRole('alert')).toContainText('sliced for another bore than the 0.6 mm')
})
