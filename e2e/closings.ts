import { expect, type APIRequestContext, type Page } from '@playwright/test'

import { close, fillAll, goOn, openAll, openStop, pick, startJob, verdict } from './bench'

/* Stations worked through and closed, as somebody without a remark does. */

/** Ticks every step of a check, counts if it asks, and closes it. */
export async function tickAll(page: Page, heading: RegExp) {
  await expect(page.getByRole('heading', { level: 1, name: heading })).toBeVisible()
  const boxes = page.getByRole('region', { name: 'Worktop' }).getByRole('checkbox')
  for (const box of await boxes.all()) await box.check()
  const out = page.getByLabel('Pieces taken out')
  if (await out.isVisible()) {
    await out.fill('6')
    await page.getByLabel('Pieces put back').fill('6')
  }
  await close(page)
}

export const accepted = {
  'X 1': '20.02',
  'X 2': '20.03',
  'Y 1': '20.01',
  'Y 2': '20.02',
  'Z 1': '19.99',
  'Z 2': '20.00',
  'Ran clean for': '45',
}

/** Answers everything the acceptance station asks, favourably but for what is said of the complaint. */
export async function acceptAnswers(page: Page, cleanMin: string, cameBack: 'yes' | 'no') {
  await fillAll(page, { ...accepted, 'Ran clean for': cleanMin })
  await page.getByRole('radio', { name: '1 a hair' }).check()
  for (const [question, answer] of [
    ['Is the first layer even and whole?', 'yes'],
    ['Are the walls even along the height?', 'yes'],
    ['Did the drive click or grind?', 'no'],
    ['Did the complaint come back?', cameBack],
  ] as const) {
    await page.getByRole('group', { name: question }).getByRole('radio', { name: answer }).check()
  }
}

/** Answers everything the acceptance station asks, favourably, and closes it. */
export async function accept(page: Page, cleanMin = accepted['Ran clean for']) {
  await acceptAnswers(page, cleanMin, 'no')
  await expect(verdict(page)).toContainText('Pass: accepted.')
  await close(page)
}

/** A settings station of a printer that reports none: the reason, and closed. */
export async function noReport(page: Page, heading: RegExp) {
  await expect(page.getByRole('heading', { level: 1, name: heading })).toBeVisible()
  await page.getByLabel('No report? Say why').fill('no console on this printer')
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** Intake, and the settings kept, as far as a printer without a link has any. */
export async function intake(page: Page) {
  await tickAll(page, /keep what it knows/)
  await noReport(page, /Read every stored setting/)
}

/** Held with a second tool, a gap left, nothing seeps. */
export async function heldAndTight(page: Page) {
  for (const [question, answer] of [
    ['Was the block held with a second tool?', 'yes'],
    ['Is a gap left between hex and block?', 'yes'],
    ['Does plastic seep above the nozzle?', 'no'],
  ] as const)
    await page.getByRole('group', { name: question }).getByRole('radio', { name: answer }).check()
}

/** Everything right at the hot tightening. */
export async function hotTighten(page: Page, heading: RegExp) {
  await expect(page.getByRole('heading', { level: 1, name: heading })).toBeVisible()
  await fillAll(page, {
    'Nozzle when tightened': '228',
    'Torque, if measured': '2,8',
    'Waited after extruding': '2',
  })
  await heldAndTight(page)
  await expect(verdict(page)).toContainText('Pass: tightened at 228 °C')
  await close(page)
}

/** Ticks every step of the check that is open, whatever it is called, counts if it asks, and closes it. */
export async function tickOpen(page: Page) {
  const worktop = page.getByRole('region', { name: 'Worktop' })
  await expect(worktop.getByRole('checkbox').first()).toBeVisible()
  for (const box of await worktop.getByRole('checkbox').all()) await box.check()
  for (const label of ['Pieces taken out', 'Pieces put back']) {
    const field = page.getByLabel(label)
    if (await field.isVisible()) await field.fill('6')
  }
  const note = page.getByLabel(/What you saw/)
  if (openStop(page) === 'cause' && !(await note.inputValue())) await note.fill('nothing found yet')
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** Works through checks and settings, as somebody without a remark, until a stop that needs more. */
export async function workTo(page: Page, request: APIRequestContext, job: number, stop: string) {
  for (let i = 0; i < 30; i += 1) {
    const now = await goOn(page, request, job)
    if (now === stop) return
    if (now === 'snapshot' || now === 'compare') {
      await page.getByLabel('No report? Say why').fill('no console on this printer')
      await expect(verdict(page)).toContainText('Pass')
      await close(page)
    } else if (now === 'hot_tighten') await tightenAsAsked(page)
    else if (now === 'acceptance') await accept(page)
    else if (now === 'ceiling') await ceilingAsItIs(page)
    else if (now === 'tube_length') await cutAsTheOldOne(page)
    else if (now === 'bed_loop') await bedHolds(page)
    else if (now === 'profile') await profileFor(page, '0.44', '0.2')
    else if (now?.startsWith('flow')) await goodWalls(page)
    else if (/^(retraction|pressure_advance|print_temp|volumetric_limit)/.test(now ?? ''))
      await asItWas(page, now ?? '')
    else await tickOpen(page)
  }
  throw new Error(`never came to ${stop}`)
}

/** Everything right at the hot tightening, at the temperature that it asks for. */
export async function tightenAsAsked(page: Page) {
  const heading = page.getByRole('heading', { level: 1, name: /Tighten the nozzle at/ })
  const at = /(\d+) °C/.exec((await heading.textContent()) ?? '')?.[1] ?? ''
  await fillAll(page, { 'Nozzle when tightened': at, 'Waited after extruding': '3' })
  await heldAndTight(page)
  await expect(verdict(page)).toContainText(`Pass: tightened at ${at} °C`)
  await close(page)
}

/** A new tube as long as the old one. */
export async function cutAsTheOldOne(page: Page) {
  await page.getByLabel('Old tube, end to end').fill('415')
  await expect(verdict(page)).toContainText('Pass: cut it to 415 mm')
  await close(page)
}

/** A bed that holds what it is set to. */
export async function bedHolds(page: Page) {
  await fillAll(page, { Lowest: '59.5', Highest: '60.4' })
  await expect(verdict(page)).toContainText('Pass: the bed holds 60 °C')
  await close(page)
}

/** Walls that measure as they should. */
export async function goodWalls(page: Page) {
  await pick(page, 'Instrument', 'micrometer')
  for (const side of [1, 2, 3, 4])
    await fillAll(page, { [`side ${side}, low`]: '0.45', [`side ${side}, high`]: '0.452' })
  await expect(verdict(page)).toContainText('Pass: flow')
  await close(page)
}

/** Prints that find the value of `ownFilament` again. */
export async function asItWas(page: Page, stop: string) {
  const values = { retraction: '4.8', pressure_advance: '0.5', print_temp: '230', volumetric_limit: '9' }
  const which = stop.split('.')[0] as keyof typeof values
  if (which === 'retraction') await cleanAt(page, values.retraction)
  else await foundAt(page, values[which])
}

/** Prints of one's own that find a value: set and printed again, where it is another than before. */
export async function foundAt(page: Page, value: string) {
  const type = async () => {
    await page.getByRole('radio', { name: 'prints of my own' }).check()
    await page.getByLabel('Best now', { exact: true }).fill(value)
    await page.getByRole('radio', { name: /the value under/ }).check()
  }
  await type()
  // Not the verdict of before: the one that names this value.
  await expect(verdict(page)).toContainText(new RegExp(`(Pass|Adjust): .*${value.replace('.', '\\.')}`))
  if (await page.getByRole('button', { name: /Set and repeat/ }).isVisible()) {
    await close(page, /Set and repeat/)
    await expect(verdict(page)).toContainText('Pass')
  }
  await close(page)
}

/** A print at this distance, clean: set, where it is another than before. */
export async function cleanAt(page: Page, distance: string) {
  await fillAll(page, { 'Distance 1': distance, 'Speed 1': '25', 'Strings 1': '0' })
  await expect(verdict(page)).toContainText(new RegExp(`(Pass|Adjust): .*${distance.replace('.', '\\.')}`))
  if (await page.getByRole('button', { name: /Set and repeat/ }).isVisible()) {
    await close(page, /Set and repeat/)
    await expect(verdict(page)).toContainText('Pass')
  }
  await close(page)
}

/** A profile of the fitted bore, read off and saved; set first where it was for another one. */
export async function profileFor(page: Page, width: string, layer: string) {
  const fill = async () => {
    await fillAll(page, { 'Outer wall, width': width, Layer: layer })
    for (const place of [/saved with the printer/, /saved with the way to print/])
      await page.getByRole('checkbox', { name: place }).check()
  }
  await fill()
  await expect(verdict(page)).toContainText(/Pass|Adjust/)
  if (await page.getByRole('button', { name: /Set and repeat/ }).isVisible()) {
    await close(page, /Set and repeat/)
    await fill()
    await expect(verdict(page)).toContainText('Pass: the profile is for')
  }
  await close(page)
}

/** The ceiling that the parts allow: set, where it was another. */
export async function ceilingAsItIs(page: Page) {
  await expect(verdict(page)).toContainText(/Pass|Adjust/)
  if (await page.getByRole('button', { name: /Set and repeat/ }).isVisible()) {
    await close(page, /Set and repeat/)
    await expect(verdict(page)).toContainText('Pass')
  }
  await close(page)
}

/** A heater as its marks say, cold at its leads. */
export async function heaterCold(page: Page, ohm: string, watts: string) {
  await fillAll(page, { 'Heater, cold at its leads': ohm, Supply: '24', 'Marked on the heater': watts })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** A sensor that reads the room. */
export async function sensorCold(page: Page, ohm: string) {
  await fillAll(page, {
    'Room, by thermometer': '21',
    'Nozzle, as shown': '21.4',
    'Resistance at the plug': ohm,
  })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** A loop tuned and verified by what the display shows. */
export async function loopByDisplay(page: Page) {
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

/** First-layer patches as thick as commanded. */
export async function zAsItWas(page: Page) {
  await pick(page, 'Instrument', 'micrometer')
  const corners = ['front left', 'front right', 'middle', 'back left', 'back right']
  const wanted = await page.getByLabel('Commanded height').inputValue()
  await fillAll(page, Object.fromEntries(corners.map((c) => [c, wanted])))
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
}

/** A job for another bore, up to the print temperature of a filament. */
export async function toTemperature(
  page: Page,
  request: APIRequestContext,
  printer: number,
  filament: number,
) {
  const job = await startJob(request, printer, ['nozzle_other_bore'], [filament])
  await workTo(page, request, job, 'fit.nozzle_other_bore')
  await page.getByRole('textbox', { name: 'bore' }).fill('0.6')
  await tickOpen(page)
  await workTo(page, request, job, 'profile')
  await profileFor(page, '0.66', '0.3')
  await workTo(page, request, job, 'offset_z')
  await zAsItWas(page)
  await workTo(page, request, job, `print_temp.${filament}`)
  return job
}
