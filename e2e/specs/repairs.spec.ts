import { expect, test } from '@playwright/test'

import { goOn, ownFilament, ownPrinter, pick, startJob, verdict } from '../bench'
import {
  cleanAt,
  foundAt,
  heaterCold,
  loopByDisplay,
  profileFor,
  sensorCold,
  tickOpen,
  workTo,
  zAsItWas,
} from '../closings'

/* Repairs with heat in them, on printers that are not connected: what the display shows is typed. */

test('an all-metal conversion: cold first, ceiling lifted to the print at 255 °C, tightened there', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Cedar', { ceiling: 235, offset_z: -1.2 }, '', {
    hot_end: 'lined',
    firmware_limit_c: 285,
    heater_w: 40,
    supply_v: 24,
  })
  const filament = await ownFilament(request, printer, 'PETG of Cedar')
  await request.post(`/api/v1/printers/${printer}/settings`, {
    data: { parameter: 'print_temp', value: 255, filament_id: filament },
  })
  const job = await startJob(request, printer, ['heat_break_to_all_metal'], [filament])
  await workTo(page, request, job, 'fit.heat_break_to_all_metal')
  await expect(page.getByText('in the new one the tube ends at the top')).toBeVisible()
  await expect(page.getByText(/Paste in the hot zone/)).toBeVisible()
  await tickOpen(page)
  await workTo(page, request, job, 'ceiling')
  await expect(page.getByLabel('Hottest print planned')).toHaveValue('255')
  await expect(verdict(page)).toContainText(/26\d|27\d/)
  await workTo(page, request, job, 'hot_tighten')
  await expect(
    page.getByRole('heading', { name: 'Tighten the nozzle at 255 °C, holding the block.' }),
  ).toBeVisible()
  await workTo(page, request, job, 'heater_loop')
  await loopByDisplay(page)
  await workTo(page, request, job, 'offset_z')
  await zAsItWas(page)
  expect(await goOn(page, request, job)).toBe('first_print')
  await workTo(page, request, job, `print_temp.${filament}`)
  await foundAt(page, '255')
  await workTo(page, request, job, `retraction.${filament}`)
  // A longer cold path wants less pull: the search begins below the old value.
  await expect(page.getByText('After the conversion: begin shorter than before')).toBeVisible()
  await cleanAt(page, '2.4')
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  const report = page.getByRole('article')
  await expect(report).toContainText('235 → 270 °C')
  await expect(report).toContainText('4.8 mm → 2.4 mm')
  const known = (await (await request.get(`/api/v1/printers/${printer}`)).json()) as {
    printer: { facts: { hot_end: string } }
  }
  expect(known.printer.facts.hot_end).toBe('all_metal')
})

test('a spliced sensor: cold ohms before heat, no way past them, then a first heating', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Rosewood', {}, '', {
    firmware_limit_c: 275,
    sensor: 'ntc_100k_3950',
  })
  const filament = await ownFilament(request, printer, 'PETG of Rosewood')
  const job = await startJob(request, printer, ['sensor_same_type'], [filament])
  await workTo(page, request, job, 'fit.sensor_same_type')
  await expect(page.getByText(/A bare joint reads wrong/)).toBeVisible()
  await tickOpen(page)
  await goOn(page, request, job)
  await expect(page.getByRole('button', { name: 'Leave it out' })).toHaveCount(0)
  await sensorCold(page, '119.5k')
  await workTo(page, request, job, 'heater_loop')
  await loopByDisplay(page)
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  await expect(page.getByRole('article')).toContainText('Sensor type')
})

test('a hot end of another kind, 0.6 to 0.4: everything that heats is measured cold, and flow expects the new bore', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Teak', { offset_z: -0.8 }, '', {
    hot_end: 'all_metal',
    nozzle_mm: 0.6,
    firmware_limit_c: 300,
    heater_w: 40,
    supply_v: 24,
  })
  const filament = await ownFilament(request, printer, 'PETG of Teak')
  const job = await startJob(request, printer, ['hot_end_other'], [filament])
  await workTo(page, request, job, 'fit.hot_end_other')
  await expect(page.getByText(/A bare hot end ordered in place of the assembly/)).toBeVisible()
  await pick(page, 'heat break', 'all-metal')
  await page.getByRole('textbox', { name: 'bore' }).fill('0.4')
  await tickOpen(page)
  expect(await goOn(page, request, job)).toBe('heater')
  await heaterCold(page, '14.4', '40')
  expect(await goOn(page, request, job)).toBe('sensor_type')
  await sensorCold(page, '119.5k')
  await workTo(page, request, job, 'heater_loop')
  await loopByDisplay(page)
  await page.goto(`/jobs/${job}/flow.${filament}`)
  await expect(page.getByLabel(/Wall/).first()).toHaveValue(/0\.4/)
  await workTo(page, request, job, 'profile')
  await expect(page.getByText('Bore 0.4 mm: lines 0.4 to 0.48 mm wide')).toBeVisible()
  await profileFor(page, '0.44', '0.2')
  await workTo(page, request, job, 'offset_z')
  await zAsItWas(page)
  await workTo(page, request, job, `volumetric_limit.${filament}`)
  await foundAt(page, '6')
  await workTo(page, request, job, `retraction.${filament}`)
  await cleanAt(page, '3.6')
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  const report = page.getByRole('article')
  await expect(report).toContainText('9 mm³/s → 6 mm³/s')
  await expect(report).toContainText('4.8 mm → 3.6 mm')
  await page.goto(`/printers/${printer}`)
  await expect(page.getByText(/0\.4 mm/).first()).toBeVisible()
})
