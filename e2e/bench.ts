import { expect, type APIRequestContext, type Locator, type Page } from '@playwright/test'

interface Set {
  drive?: number
  offset_z?: number
  tram?: number
}

/** A printer of the test's own, with the values it came with. */
export async function ownPrinter(request: APIRequestContext, name: string, set: Set = {}, base = '') {
  const gear = { full_steps: 200, microsteps: 16, gear_ratio: 3, drive_diameter_mm: 7.3 }
  const facts = {
    bed_x_mm: 235,
    bed_y_mm: 235,
    height_mm: 250,
    path: 'tube',
    hot_end: 'lined',
    nozzle_mm: 0.4,
    nozzles: 1,
    firmware_limit_c: 260,
    gear,
  }
  // What an earlier try of the same test left under this name makes room.
  const bench = (await (await request.get(`${base}/api/v1/bench`, { maxRetries: 2 })).json()) as {
    rows: { printer: { id: number; name: string; kind: string } }[]
  }
  const left = bench.rows.find((r) => r.printer.name === name)?.printer
  if (left) {
    const page = (await (await request.get(`${base}/api/v1/printers/${left.id}`)).json()) as { typed: object }
    const renamed = await request.put(`${base}/api/v1/printers/${left.id}`, {
      data: { name: `${name}, an earlier try ${left.id}`, kind: left.kind, fields: page.typed },
    })
    expect(renamed.status()).toBe(204)
  }
  // A socket that the server gave up while it was idle is no failure of what is tested.
  const made = await request.post(`${base}/api/v1/printers`, {
    data: { name, kind: 'bed-slinger, tube drive', facts },
    maxRetries: 2,
  })
  expect(made.status()).toBe(201)
  const { id } = (await made.json()) as { id: number }
  for (const [parameter, value] of Object.entries(set)) {
    const put = await request.post(`${base}/api/v1/printers/${id}/settings`, { data: { parameter, value } })
    expect(put.status()).toBe(204)
  }
  return id
}

export async function ownFilament(request: APIRequestContext, printer: number, name: string, base = '') {
  const made = await request.post(`${base}/api/v1/filaments`, { data: { name, material: 'PETG' } })
  const { id } = (await made.json()) as { id: number }
  for (const [parameter, value] of Object.entries({
    print_temp: 230,
    flow: 98,
    retraction: 4.8,
    pressure_advance: 0.5,
    volumetric_limit: 9,
  })) {
    await request.post(`${base}/api/v1/printers/${printer}/settings`, {
      data: { parameter, value, filament_id: id },
    })
  }
  return id
}

export async function startJob(
  request: APIRequestContext,
  printer: number,
  replaced: string[],
  filaments: number[] = [],
  base = '',
) {
  const made = await request.post(`${base}/api/v1/jobs`, {
    data: { printer_id: printer, replaced, filament_ids: filaments, technician: 'bench test' },
  })
  expect(made.status()).toBe(201)
  return ((await made.json()) as { id: number }).id
}

export const station = (page: Page, name: string) =>
  page
    .getByRole('list', { name: 'Stations of this job' })
    .getByRole('listitem')
    .filter({ has: page.getByText(name, { exact: true }) })

export const verdict = (page: Page) => page.getByRole('region', { name: 'Verdict' })

export async function close(page: Page, button: RegExp = /Close station/) {
  const before = page.url()
  await page.getByRole('button', { name: button }).click()
  if (button.source === 'Close station') await expect.poll(() => page.url()).not.toBe(before)
}

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

export async function fillAll(page: Page, values: Record<string, string>) {
  for (const [label, value] of Object.entries(values))
    await page.getByLabel(label, { exact: true }).fill(value)
}

/** Chooses one of a list by a part of its name, as one types it. */
export async function pick(scope: Page | Locator, label: string, name: string) {
  const field = scope.getByRole('combobox', { name: new RegExp(`^${label}: `) })
  await field.fill(name)
  await field.press('Enter')
  await expect(field).toHaveAccessibleName(new RegExp(name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')))
}

/** Unfolds everything that is folded at a station. */
export async function openAll(page: Page) {
  await expect(page.getByRole('region', { name: 'Worktop' })).toBeVisible()
  for (const part of await page.locator('details').all())
    if ((await part.getAttribute('open')) === null) await part.locator('summary').click()
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

/** Answers everything the acceptance station asks, favourably, and closes it. */
export async function accept(page: Page) {
  await fillAll(page, accepted)
  await page.getByRole('radio', { name: '1 a hair' }).check()
  for (const [question, answer] of [
    ['Is the first layer even and whole?', 'yes'],
    ['Are the walls even along the height?', 'yes'],
    ['Did the drive click or grind?', 'no'],
    ['Did the complaint come back?', 'no'],
  ] as const) {
    await page.getByRole('group', { name: question }).getByRole('radio', { name: answer }).check()
  }
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

/** Everything right at the hot tightening. */
export async function hotTighten(page: Page, heading: RegExp) {
  await expect(page.getByRole('heading', { level: 1, name: heading })).toBeVisible()
  await fillAll(page, {
    'Nozzle when tightened': '228',
    'Torque, if measured': '2,8',
    'Waited after extruding': '2',
  })
  for (const [question, answer] of [
    ['Was the block held with a second tool?', 'yes'],
    ['Is a gap left between hex and block?', 'yes'],
    ['Does plastic seep above the nozzle?', 'no'],
  ] as const) {
    await page.getByRole('group', { name: question }).getByRole('radio', { name: answer }).check()
  }
  await expect(verdict(page)).toContainText('Pass: tightened at 228 °C')
  await close(page)
}
