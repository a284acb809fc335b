import { expect, type APIRequestContext, type Locator, type Page } from '@playwright/test'

interface Set {
  ceiling?: number
  drive?: number
  offset_z?: number
  profile?: number
  tram?: number
}

/** A printer of the test's own, with the values it came with. */
export async function ownPrinter(
  request: APIRequestContext,
  name: string,
  set: Set = {},
  base = '',
  more: object = {},
) {
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
    ...more,
  }
  // What an earlier try of the same test left under this name makes room.
  const bench = (await (await request.get(`${base}/api/v1/bench`, { maxRetries: 2 })).json()) as {
    rows: { printer: { id: number; name: string; kind: string } }[]
  }
  const left = bench.rows.find((r) => r.printer.name === name)?.printer
  if (left) {
    const page = (await (await request.get(`${base}/api/v1/printers/${left.id}`)).json()) as { typed: object }
    const renamed = await request.put(`${base}/api/v1/printers/${left.id}`, {
      data: { name: `an earlier try ${left.id}`, kind: left.kind, fields: page.typed },
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

/** Which stop of a job's route is open. */
export const openStop = (page: Page) =>
  decodeURIComponent(/\/jobs\/\d+\/([^/?]+)/.exec(page.url())?.[1] ?? '')

/** Goes to the stop that a job waits for. */
export async function goOn(page: Page, request: APIRequestContext, job: number) {
  const at = (await (await request.get(`/api/v1/jobs/${job}`)).json()) as {
    traveller: { now: string | null }
  }
  await page.goto(`/jobs/${job}/${at.traveller.now ?? ''}`)
  await expect(page.getByRole('region', { name: 'Worktop' }).or(page.getByRole('article'))).toBeVisible()
  return at.traveller.now
}

/** Notes what happened to a job besides its stations. */
export async function happened(
  page: Page,
  what: string,
  told: {
    part?: string
    minutes?: string
    who?: string
    lasts?: string
    changed?: Record<string, string>
    back?: string
    reason?: [label: RegExp, text: string]
  },
) {
  await page.getByRole('button', { name: 'Something happened' }).click()
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await dialog.getByRole('radio', { name: what }).check()
  if (told.part) await pick(dialog, 'Which part', told.part)
  if (told.minutes) await dialog.getByLabel(/After how many minutes/).fill(told.minutes)
  if (told.lasts) await dialog.getByRole('radio', { name: told.lasts }).check()
  for (const [label, value] of Object.entries(told.changed ?? {})) await dialog.getByLabel(label).fill(value)
  if (told.back) await pick(dialog, 'What was put back', told.back)
  if (told.who) await dialog.getByLabel('Who goes on').fill(told.who)
  if (told.reason) await dialog.getByLabel(told.reason[0]).fill(told.reason[1])
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog).toHaveCount(0)
}

/** What is said is of all that was typed. */
export const said = (page: Page) => expect(verdict(page)).toHaveAttribute('aria-busy', 'false')
