import { expect, test, type Page } from '@playwright/test'

import {
  close,
  fillAll,
  goOn,
  openAll,
  ownFilament,
  ownPrinter,
  pick,
  startJob,
  tickOpen,
  verdict,
  workTo,
} from '../bench'

/* Repairs with heat in them, on printers that are not connected: what the display shows is typed. */

/** A heater as its marks say, cold at its leads. */
async function heaterCold(page: Page, ohm: string, watts: string) {
  await fillAll(page, { 'Heater, cold at its leads': ohm, Supply: '24', 'Marked on the heater': watts })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** A sensor that reads the room. */
async function sensorCold(page: Page, ohm: string) {
  await fillAll(page, {
    'Room, by thermometer': '21',
    'Nozzle, as shown': '21.4',
    'Resistance at the plug': ohm,
  })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** A loop tuned and verified by what the display shows. */
async function loopByDisplay(page: Page) {
  await openAll(page)
  await fillAll(page, { 'Ku shown': '50', 'Tu shown': '18.7' })
  await expect(verdict(page)).toContainText('Adjust')
  await close(page, /Set and repeat/)
  await openAll(page)
  await fillAll(page, {
    Overshoot: '1',
    'Settled after': '25',
    'Highest less lowest': '0.8',
    'Dip with the fan': '1.5',
  })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

async function zAsItWas(page: Page) {
  await pick(page, 'Instrument', 'micrometer')
  const corners = ['front left', 'front right', 'middle', 'back left', 'back right']
  const wanted = await page.getByLabel('Commanded height').inputValue()
  await fillAll(page, Object.fromEntries(corners.map((c) => [c, wanted])))
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

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
})
