import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

import { expect, test, type APIRequestContext, type Page } from '@playwright/test'

import { Board } from '../board'
import { OwnServer } from '../server'

const strip = (page: Page) => page.getByRole('contentinfo', { name: 'Heat of connected printers' })
const tile = (page: Page, name: string) =>
  strip(page).getByRole('list', { name: 'Heaters' }).getByRole('listitem', { name, exact: true })
/* What a printer needs, below all tiles. */
const needs = (page: Page) => strip(page).getByRole('list', { name: 'What the printers need' })
const stopOf = (page: Page, name: string) =>
  page.getByRole('button', { name: `Emergency stop of ${name}`, exact: true })

/* Every test has a server and boards of its own: they are frozen, killed and made hot. */
let server: OwnServer
let boards: Board[]
test.beforeEach(async () => {
  boards = []
  server = new OwnServer(['serve', '--data', mkdtempSync(join(tmpdir(), 'stop-'))])
  await server.start()
})
test.afterEach(async () => {
  await server.kill()
  for (const b of boards) b.off()
})

async function connected(request: APIRequestContext, name: string, nozzles = 1) {
  const board = new Board(nozzles)
  boards.push(board)
  const host = await board.on()
  const made = await request.post(`${server.url}/api/v1/printers`, {
    data: { name, kind: 'bed-slinger', facts: { nozzles } },
  })
  const { id } = (await made.json()) as { id: number }
  const got = await request.post(`${server.url}/api/v1/printers/${id}/link`, {
    data: { address: { kind: 'tcp', host }, report_every_s: 0.5 },
  })
  expect(got.status()).toBe(200)
  return { id, board }
}

test('with twelve tabs open Stop stops from the last one, and from the first', async ({
  context,
  request,
}) => {
  const { board, id } = await connected(request, 'Alder')
  const tabs: Page[] = []
  for (let i = 0; i < 12; i++) {
    const page = await context.newPage()
    await page.goto(`${server.url}/printers/${id}/link`)
    await expect(tile(page, 'Alder')).toContainText('SAFE')
    tabs.push(page)
  }
  for (const page of [tabs[11], tabs[0]] as Page[]) {
    board.heard = []
    await stopOf(page, 'Alder').click()
    await expect.poll(() => board.heard.includes('M112'), { intervals: [50] }).toBe(true)
  }
})

test('a server that stands still is said to, and Stop says what it could not do', async ({
  page,
  request,
}) => {
  const { board } = await connected(request, 'Birch')
  await page.goto(server.url)
  await expect(tile(page, 'Birch')).toContainText('SAFE')
  server.freeze()
  try {
    await expect(strip(page).getByRole('alert')).toContainText(/No word from the server since \d\d:\d\d:\d\d/)
    await expect(tile(page, 'Birch')).toContainText('UNKNOWN')
    await expect(tile(page, 'Birch')).not.toContainText('Safe to touch')
    await stopOf(page, 'Birch').click()
    await expect(needs(page).getByRole('alert')).toContainText(
      'The stop could not be handed over: The server does not answer. Switch Birch off at its mains switch.',
    )
  } finally {
    server.thaw()
  }
  await expect(strip(page).getByText('No word from the server')).toBeHidden()
  // The stop was on its way all the time: it is carried out as soon as the server goes on.
  await expect.poll(() => board.heard.includes('M112')).toBe(true)
  await expect(tile(page, 'Birch')).toContainText('SAFE')
})

for (const [width, height] of [
  [1280, 800],
  [390, 844],
] as const)
  test(`four printers at ${width} px: every Stop is on the screen and stops its own`, async ({
    page,
    request,
  }) => {
    const names = [
      'Alder',
      'Birch',
      'Cedar with a very long name that nobody would type but an import brings',
      'Douglas',
    ]
    const all: Board[] = []
    for (const name of names) all.push((await connected(request, name)).board)
    await page.setViewportSize({ width, height })
    await page.goto(server.url)
    for (const [i, name] of names.entries()) {
      const button = stopOf(page, name)
      await expect(button).toBeInViewport({ ratio: 1 })
      const box = await button.boundingBox()
      expect(box?.height).toBeGreaterThanOrEqual(44)
      await button.click()
      await expect.poll(() => all[i]?.heard.includes('M112')).toBe(true)
    }
    const wide = await strip(page).evaluate((e) => e.scrollWidth - e.clientWidth)
    expect(wide).toBeLessThanOrEqual(0)
    await expect(page.getByTitle(/nobody would type/).first()).toBeVisible()
  })

test('a hot bed is hot, whatever the nozzle says', async ({ page, request }) => {
  const { board } = await connected(request, 'Elm')
  await page.goto(server.url)
  await expect(tile(page, 'Elm')).toContainText('SAFE')
  board.bed.at = 92
  await expect(tile(page, 'Elm')).toContainText('HOT')
  await expect(tile(page, 'Elm')).toContainText('bed 92°')
  await expect(tile(page, 'Elm')).toContainText(/Touch-safe in \d+ min: the bed 92 °C\./)
})

test('a second nozzle is shown, counted, and switched off with the first', async ({ page, request }) => {
  const { board, id } = await connected(request, 'Fir', 2)
  await page.goto(`${server.url}/printers/${id}/link`)
  await page.getByLabel('Send a command').fill('M104 T1 S200')
  await page.getByRole('button', { name: 'Send', exact: true }).click()
  const second = board.nozzles[1]
  await expect.poll(() => second?.target).toBe(200)
  if (second) second.at = 190
  await expect(tile(page, 'Fir')).toContainText('nozzle 2 190° to 200°')
  await expect(tile(page, 'Fir')).toContainText('HOT')
  await expect(tile(page, 'Fir')).toContainText('Heated: nozzle 2 to 200 °C.')
  await page.getByRole('button', { name: 'Heaters off' }).click()
  await expect.poll(() => second?.target).toBe(0)
  await expect(tile(page, 'Fir')).toContainText(/Touch-safe in \d+ min: nozzle 2 190 °C/)
  await page.getByLabel('Send a command').fill('M104 T1 S240')
  await page.getByRole('button', { name: 'Send', exact: true }).click()
  await expect(
    page.getByRole('alert').filter({ hasText: '240 °C is above the ceiling of 235 °C' }),
  ).toBeVisible()
})

test('a target above the ceiling is an alarm, and its button sets it to 0', async ({ page, request }) => {
  const { board } = await connected(request, 'Gorse')
  await page.goto(server.url)
  // Somebody turns the knob at the printer.
  ;(board.nozzles[0] as { target: number }).target = 280
  const alarm = needs(page).getByRole('alert')
  await expect(alarm).toContainText(
    'The target of the nozzle stands at 280 °C, above the ceiling of 235 °C, held down by the liner.',
  )
  await expect(tile(page, 'Gorse')).toContainText('Not switched on from here.')
  expect(board.heard.some((c) => c.startsWith('M104'))).toBe(false)
  await alarm.getByRole('button', { name: 'Set heaters to 0' }).click()
  await expect.poll(() => board.nozzles[0]?.target).toBe(0)
  await expect(alarm).toBeHidden()
})

test('more filament than a slip of the finger should feed is asked for, and sent when it is meant', async ({
  page,
  request,
}) => {
  const { board, id } = await connected(request, 'Hazel')
  await page.goto(`${server.url}/printers/${id}/link`)
  const send = async (line: string) => {
    await page.getByLabel('Send a command').fill(line)
    await page.getByRole('button', { name: 'Send', exact: true }).click()
  }
  await send('M83')
  await expect.poll(() => board.heard.includes('M83')).toBe(true)
  ;(board.nozzles[0] as { at: number }).at = 210
  await expect(tile(page, 'Hazel')).toContainText('HOT')
  await send('G1 E100000 F300')
  const question = page.getByRole('alert').filter({ hasText: 'That moves 100000 mm of filament at once.' })
  await expect(question).toBeVisible()
  expect(board.heard.some((c) => c.startsWith('G1'))).toBe(false)
  await question.getByRole('button', { name: 'It is meant: send it' }).click()
  await expect.poll(() => board.heard.includes('G1 E100000 F300')).toBe(true)
})

test('a server that was killed says at once what was hot and why, and takes it back', async ({
  page,
  request,
}) => {
  const { board, id } = await connected(request, 'Ivy')
  await request.post(`${server.url}/api/v1/printers/${id}/send`, { data: { line: 'M104 S180' } })
  await expect.poll(() => board.nozzles[0]?.target).toBe(180)
  const listen = server.url.replace('http://', '')
  await server.kill()
  expect(board.nozzles[0]?.target).toBe(180)
  await server.start(listen)
  await expect.poll(() => board.nozzles[0]?.target).toBe(0)
  // The book is read once a visit, and the line comes when the printer has confirmed.
  await expect(async () => {
    await page.goto(`${server.url}/logbook`)
    const said = page.getByText(/The server ended while heat was on \(by hand, the nozzle at 180 °C/)
    await expect(said).toBeVisible({ timeout: 1000 })
  }).toPass()
})
