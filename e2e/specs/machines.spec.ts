import { expect, test, type Page } from '@playwright/test'

import {
  close,
  fillAll,
  goOn,
  happened,
  openAll,
  ownFilament,
  ownPrinter,
  pick,
  startJob,
  station,
  verdict,
} from '../bench'
import {
  accept,
  acceptAnswers,
  cleanAt,
  foundAt,
  loopByDisplay,
  sensorCold,
  tickOpen,
  workTo,
  zAsItWas,
} from '../closings'

/* Whole jobs at whole machines: what is missing, what was changed for a try, what a new drive moves. */

/** A bed that lies as flat as its feeler can tell. */
async function level(page: Page) {
  await expect(page.getByRole('heading', { level: 1, name: /height at every screw/ })).toBeVisible()
  await pick(page, 'Instrument', 'feeler')
  for (const field of await page
    .getByRole('textbox', { name: /^(front|back) (left|right), screw$|^middle$/ })
    .all())
    await field.fill('0.10')
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

test('a bought-back machine: parts list, cost against worth, a cap too low, two loans given back', async ({
  page,
  request,
}) => {
  await ownPrinter(request, 'Rowanberry', { ceiling: 200, drive: 418.6, tram: 0.04, offset_z: -1.2 }, '', {
    hot_end: 'lined',
    sensor: 'ntc_100k_3950',
    bed_screws: 4,
    bed_thread: 'M4',
    z_motors: 2,
  })
  await page.goto('/')
  await page.getByRole('link', { name: 'New job on Rowanberry', exact: true }).click()
  await page.getByRole('radio', { name: 'bought-back machine' }).check()
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const job = Number(/jobs\/(\d+)/.exec(page.url())?.[1])
  await tickOpen(page)

  // Too dear at first: the plate from a cheaper source makes it worth its work.
  await expect(page.getByRole('heading', { name: /what it comes to/ })).toBeVisible()
  await fillAll(page, { 'Worth, in order': '150', 'Cost so far': '80', 'An hour of hands': '20' })
  const there = page.getByRole('radio', { name: 'there', exact: true })
  for (const answer of await there.all()) await answer.check()
  const of = (piece: string) => page.getByRole('group', { name: piece })
  await of('plate and clips').getByRole('radio', { name: 'damaged' }).check()
  await page.getByLabel('plate and clips, a new one costs').fill('60')
  await of('spool holder').getByRole('radio', { name: 'missing' }).check()
  await page.getByLabel('spool holder, a new one costs').fill('8')
  await expect(verdict(page)).toContainText(/Stop: it comes to \d+ to \d+ and is worth 150/)
  await page.getByLabel('plate and clips, a new one costs').fill('18.50')
  await expect(verdict(page)).toContainText('worth 150')
  await expect(verdict(page)).toContainText('To buy: spool holder and plate and clips.')
  await close(page)

  await happened(page, 'something was changed', {
    lasts: 'for a try',
    changed: {
      'What was changed': 'sensor type in the firmware',
      'How it was': '1',
      'How it is now': '13',
    },
    reason: [/Why/, 'reads 8 °C too high'],
  })
  await expect(page.getByText('To give back: sensor type in the firmware: 13, was 1')).toBeVisible()
  await happened(page, 'something was changed', {
    lasts: 'for a try',
    changed: {
      'What was changed': 'fan on the other plug',
      'How it was': 'plug 1',
      'How it is now': 'plug 2',
    },
    reason: [/Why/, 'does the board switch it?'],
  })
  await happened(page, 'something was changed', {
    lasts: 'until it is put right',
    changed: { 'What was changed': 'front cover', 'How it was': '', 'How it is now': 'left off' },
    reason: [/Why/, 'a clip is broken'],
  })
  // The same thing twice would lose how it belongs.
  await page.getByRole('button', { name: 'Something happened' }).click()
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await dialog.getByRole('radio', { name: 'something was changed' }).check()
  await dialog.getByLabel('What was changed').fill('Front cover')
  await dialog.getByLabel('Why?').fill('again')
  await dialog.getByRole('radio', { name: 'until it is put right' }).check()
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog.getByRole('alert')).toContainText('That is changed already (front cover: left off)')
  await dialog.getByRole('button', { name: 'Leave it as it is' }).click()

  await workTo(page, request, job, 'sensor_type')
  await sensorCold(page, '119.5k')
  await workTo(page, request, job, 'ceiling')
  // The cap that the last owner left is lower than the parts bear.
  await expect(verdict(page)).toContainText('Adjust: ceiling 200 → 235 °C')
  await workTo(page, request, job, 'heater_loop')
  await loopByDisplay(page)
  await happened(page, 'back as it belongs', { back: 'fan on the other plug' })
  await expect(page.getByText(/fan on the other plug/)).toHaveCount(0)
  expect(await goOn(page, request, job)).toBe('bed_loop')
  // Its bed swings: the autotune's line is there, its report goes in, and only then is it set.
  await fillAll(page, { Lowest: '57', Highest: '63' })
  await expect(verdict(page)).toContainText('the bed swings by 6.00 ±0.67 °C, more than the limit')
  await expect(page.getByText('M303 E-1 S60 C8')).toBeVisible()
  await page.getByLabel('Report of the autotune').fill('Kp: 210.56 Ki: 41.20 Kd: 715.00')
  await expect(verdict(page)).toContainText('Adjust: bed P 210.56 I 41.2 D 715')
  await close(page, /Set and repeat/)
  await fillAll(page, { Lowest: '59.6', Highest: '60.5' })
  await expect(verdict(page)).toContainText('Pass: the bed holds 60 °C within 0.90 ±0.67 °C.')
  await close(page)
  expect(await goOn(page, request, job)).toBe('drive')
  await pick(page, 'Instrument', 'caliper')
  await fillAll(page, { 'Run 1, left over': '20.02', 'Run 2, left over': '20.00' })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  // Two motors lift its crossing: it is made level before the bed's screws.
  expect(await goOn(page, request, job)).toBe('gantry')
  await fillAll(page, { left: '120.1', right: '121.3' })
  await expect(verdict(page)).toContainText('lift left by 54° of its screw')
  await close(page, /Set and repeat/)
  await fillAll(page, { left: '121.3', right: '121.35' })
  await expect(verdict(page)).toContainText('Pass: 0.050 ±0.067 mm across the motors.')
  await close(page)
  expect(await goOn(page, request, job)).toBe('tram')
  await level(page)
  expect(await goOn(page, request, job)).toBe('offset_z')
  await zAsItWas(page)
  await workTo(page, request, job, 'hand_over')
  await expect(
    page.getByText('Give back what was changed for a try: sensor type in the firmware to 1.'),
  ).toBeVisible()
  // The cover stays off, with a word why; all else is done.
  for (const box of await page.getByRole('region', { name: 'Worktop' }).getByRole('checkbox').all())
    await box.check()
  await page.getByRole('checkbox', { name: /Put right: front cover/ }).uncheck()
  await page.getByRole('button', { name: 'Skip step 3' }).click()
  await page.getByLabel('Why is it skipped?').fill('the clip is ordered')
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  const report = page.getByRole('article')
  await expect(report).toContainText('Put back: sensor type in the firmware')
  await expect(report).toContainText('Put back: fan on the other plug')
  await expect(report).toContainText('Altered still: front cover: left off.')
  await expect(report).not.toContainText('Not given back')
  await expect(report).toContainText(/\d+ to \d+ of 150/)
  // The printer remembers.
  await page.goto('/')
  await page.getByRole('link', { name: 'Rowanberry', exact: true }).click()
  await expect(page.getByText('front cover: left off')).toBeVisible()
})

test('from tube to direct drive, 3:1: ratio, new limits, probe and steps measured in', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Mahogany', { drive: 93, tram: 0.04, offset_z: -1.4 }, '', {
    gear: { full_steps: 200, microsteps: 16, gear_ratio: 1, drive_diameter_mm: 10.95 },
    probe_mm: [-40, -10],
    bed_screws: 4,
    bed_thread: 'M4',
    firmware_limit_c: 260,
  })
  const filament = await ownFilament(request, printer, 'PETG of Mahogany')
  const job = await startJob(request, printer, ['tube_to_direct_drive'], [filament])
  await workTo(page, request, job, 'fit.tube_to_direct_drive')
  await expect(page.getByText(/New ends of travel also belong into the firmware/)).toBeVisible()
  await fillAll(page, { 'gear ratio': '3', 'drive wheel diameter': '7.3', width: '221', depth: '232' })
  await tickOpen(page)
  await workTo(page, request, job, 'probe')
  const touches = ['1.251', '1.249', '1.250', '1.252', '1.250', '1.248', '1.251', '1.250', '1.249', '1.250']
  await fillAll(page, Object.fromEntries(touches.map((t, i) => [`touch ${i + 1}`, t])))
  await fillAll(page, {
    'X, nozzle over it': '110',
    'Y, nozzle over it': '100',
    'X, probe over it': '137',
    'Y, probe over it': '121',
  })
  await expect(page.getByLabel('Offset set, X')).toHaveValue('-40')
  await expect(verdict(page)).toContainText('Adjust: the probe sits at X -27.0 mm, Y -21.0 mm.')
  await expect(page.getByText('M851 X-27 Y-21')).toBeVisible()
  await close(page, /Set and repeat/)
  // Once it is set, nothing is read again.
  await expect(page.getByLabel('Offset set, X')).toHaveValue('-27')
  await expect(verdict(page)).toContainText('Pass: it repeats')
  await close(page)
  expect(await goOn(page, request, job)).toBe('drive')
  // The steps of the old drive with the new ratio: far off, and it says why.
  await pick(page, 'Instrument', 'caliper')
  await fillAll(page, { 'Run 1, left over': '97.8', 'Run 2, left over': '97.8' })
  await expect(verdict(page)).toContainText('Stop: 93 steps/mm is not this drive')
  await expect(verdict(page)).toContainText('This drive computes to 418.6 steps/mm.')
  await openAll(page)
  await fillAll(page, { 'Steps/mm set': '418.6', 'Run 1, left over': '20.02', 'Run 2, left over': '20.00' })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  await workTo(page, request, job, 'tram')
  await level(page)
  expect(await goOn(page, request, job)).toBe('mesh')
  await page
    .getByLabel('Heights, as the printer reports them')
    .fill(' 0 +0.020 +0.010 +0.015\n 1 -0.010 +0.030 +0.005\n 2 +0.012 +0.008 +0.018')
  await expect(verdict(page)).toContainText('Pass: warp 0.04 mm')
  await close(page)
  await workTo(page, request, job, 'offset_z')
  // Five patches inside the new ends of travel.
  await zAsItWas(page)
  await workTo(page, request, job, `pressure_advance.${filament}`)
  await foundAt(page, '0.05')
  await workTo(page, request, job, `retraction.${filament}`)
  await cleanAt(page, '0.8')
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  const report = page.getByRole('article')
  await expect(report).toContainText('X -40.0 mm, Y -10.0 mm → X -27.0 mm, Y -21.0 mm')
  await expect(report).toContainText('0.8 mm')
  const known = (await (await request.get(`/api/v1/printers/${printer}`)).json()) as {
    printer: { facts: { path: string; bed_x_mm: number; probe_mm: number[]; gear: { gear_ratio: number } } }
  }
  expect(known.printer.facts).toMatchObject({
    path: 'direct',
    bed_x_mm: 221,
    probe_mm: [-27, -21],
    gear: { gear_ratio: 3 },
  })
})

test('a new tube of which stringing only half improves: cut by its way, retraction searched again, then accepted', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Buckthorn', { offset_z: -1.4 })
  const filament = await ownFilament(request, printer, 'PETG of Buckthorn')
  const job = await startJob(request, printer, ['tube'], [filament])
  await workTo(page, request, job, 'baseline')
  await page.getByLabel(/What you saw/).fill('strings 4 over all travels')
  await tickOpen(page)
  expect(await goOn(page, request, job)).toBe('tube_length')
  await fillAll(page, {
    'Old tube, end to end': '410',
    'front left': '402',
    'back right': '418',
    'Tightest bend, radius': '20',
    'Trims in reserve': '2',
  })
  await expect(verdict(page)).toContainText('Stop: a bend of 20 mm kinks this tube.')
  await fillAll(page, { 'Tightest bend, radius': '38' })
  await expect(verdict(page)).toContainText('Pass: cut it to 449 mm.')
  await expect(verdict(page)).toContainText('The old one is 8 mm too short: it pulled there.')
  await close(page)
  expect(await goOn(page, request, job)).toBe('fit.tube')
  await expect(page.getByText(/Cut the new tube to 449 mm with a tube cutter/)).toBeVisible()
  await expect(page.getByLabel('length of the tube')).toHaveValue('449')
  await tickOpen(page)
  await workTo(page, request, job, 'offset_z')
  await zAsItWas(page)
  await workTo(page, request, job, 'first_print')
  await expect(page.getByText('The baseline showed: strings 4 over all travels')).toBeVisible()
  await page.getByLabel(/What you saw/).fill('strings 3')
  await tickOpen(page)
  await workTo(page, request, job, 'acceptance')
  // Half better is not good: it goes back to the retraction, and nothing else is opened.
  await acceptAnswers(page, '45', 'no')
  await page.getByRole('radio', { name: /^3/ }).check()
  await expect(verdict(page)).toContainText('strings score 3, at most 1 is accepted')
  await close(page, /Record, and go back/)
  await expect(page).toHaveURL(new RegExp(`/jobs/${job}/retraction.${filament}$`))
  await page.getByRole('button', { name: 'Reopen' }).click()
  await page.getByLabel('Why', { exact: true }).fill('strings 3 at acceptance: searched again')
  await page.getByRole('dialog').getByRole('button', { name: 'Reopen' }).click()
  await cleanAt(page, '4.2')
  await workTo(page, request, job, 'acceptance')
  await accept(page)
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  const report = page.getByRole('article')
  await expect(report).toContainText('cut to 449 mm')
  await expect(report).toContainText('Noted: strings 4 over all travels')
  await expect(report).toContainText('Noted: strings 3')
  await expect(report.getByRole('row').filter({ hasText: 'strings score 3' })).toContainText('sent back')
  await expect(report).toContainText('4.8 mm → 4.2 mm')
  await expect(station(page, 'Tube length')).toHaveCount(0)
})
