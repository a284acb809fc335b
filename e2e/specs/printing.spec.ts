import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

import { expect, test, type APIRequestContext, type Page } from '@playwright/test'

import { ownPrinter, pick } from '../bench'
import { OwnServer, OwnTwin } from '../server'

/* Printing from here, on simulated printers that live some fifty times as fast as the wall clock. */
const FAST = ['--speed', '50']
const memory = () => ['--memory', join(mkdtempSync(join(tmpdir(), 'twin-')), 'memory.json')]

/** Walls round a square, so many layers, hot and homed as a printer wants it. */
function part(name: string, layers: number, more: string[] = []) {
  const out = [`; ${name}`, 'G21', 'G90', 'M83', 'M140 S40', 'M190 S40', 'M109 S205', 'G28', ...more]
  for (let l = 1; l <= layers; l += 1) {
    out.push(`G0 Z${(0.2 * l).toFixed(1)} F600`, 'G0 X60 Y60 F7800', 'G1 F1800')
    for (const [x, y] of [
      [120, 60],
      [120, 120],
      [60, 120],
      [60, 60],
    ])
      out.push(`G1 X${x} Y${y} E2`)
  }
  return [...out, 'M104 S0', 'M140 S0', 'G91', 'G1 Z5 F600', 'G90', 'M84'].join('\n') + '\n'
}

let connected: number[] = []
let twins: OwnTwin[] = []
test.afterEach(async ({ request }) => {
  for (const id of connected) await request.delete(`/api/v1/printers/${id}/link`, { maxRetries: 2 })
  for (const twin of twins) await twin.off()
  connected = []
  twins = []
})

async function onTwin(request: APIRequestContext, name: string, base = '') {
  const twin = new OwnTwin(...FAST, '--seed', '3', ...memory())
  twins.push(twin)
  const host = await twin.on()
  const printer = await ownPrinter(request, name, {}, base)
  const link = await request.post(`${base}/api/v1/printers/${printer}/link`, {
    data: { address: { kind: 'tcp', host } },
  })
  expect(link.ok()).toBe(true)
  if (!base) connected.push(printer)
  return { printer, twin }
}

async function drop(page: Page, name: string, text: string, base = '') {
  await page.goto(`${base}/prints`)
  await page
    .getByLabel('Drop a sliced part')
    .setInputFiles({ name: `${name}.gcode`, mimeType: 'text/plain', buffer: Buffer.from(text) })
  await expect(page.getByRole('heading', { level: 1 })).toContainText(`${name}:`)
}

const side = (page: Page) => page.getByRole('complementary', { name: 'Numbers and changes' })
const bar = (page: Page) => side(page).getByRole('group', { name: 'Running on the printer' })
const runs = async (request: APIRequestContext, url: string, base = '') =>
  (await (await request.get(`${base}/api/v1/prints/${/prints\/(\d+)/.exec(url)?.[1]}/runs`)).json()) as {
    how: string
    says: string
    took_s: number | null
    predicted_s: number
  }[]

test('a part is printed from here with a pause, and the clock stands beside what was predicted', async ({
  page,
  request,
}) => {
  const { printer } = await onTwin(request, 'Kapok')
  await drop(page, 'medlar box', part('medlar box', 18))
  await pick(side(page), 'Printer', 'Kapok')
  await expect(page).toHaveURL(new RegExp(`printer=${printer}`))
  await expect(side(page)).toContainText('lines may be sent')
  // What its axes can do is read from it; the time follows.
  await side(page).getByText('What its axes can do').click()
  await side(page).getByRole('button', { name: 'Read them from the printer' }).click()
  await expect(side(page)).toContainText('Limits as the printer reported them')
  await expect(side(page).getByLabel('Travel, mm/s²')).toHaveValue('1200')

  await side(page).getByRole('button', { name: 'Print it on Kapok' }).click()
  await expect(bar(page)).toContainText(/layer [3-9] of 18/)
  await bar(page).getByRole('button', { name: 'Pause' }).click()
  await expect(bar(page)).toContainText('Paused: head lifted, heaters kept', { ignoreCase: true })
  const strip = page.getByRole('contentinfo', { name: 'Heat of connected printers' })
  await expect(strip).toContainText('to 205°')
  await expect(page.getByRole('slider', { name: 'Layer' })).toContainText('printing now')
  await bar(page).getByRole('button', { name: 'Go on printing' }).click()
  await expect(side(page)).toContainText(/medlar box\.gcode: printed in \d/, { timeout: 60_000 })
  await expect(side(page)).toContainText('from 1 print.')
  await side(page).getByText('Prints made (1)').click()
  await expect(side(page).getByRole('listitem')).toContainText(/Kapok.*done\s+in .* predicted/)
  const [run] = await runs(request, page.url())
  expect(run?.how).toBe('done')
  // 18 layers of four walls at 30 mm/s: the axes of this printer take other corners than the plan does.
  expect((run?.took_s ?? 0) / (run?.predicted_s ?? 1)).toBeGreaterThan(0.8)
  expect((run?.took_s ?? 0) / (run?.predicted_s ?? 1)).toBeLessThan(1.3)
  await expect(strip).not.toContainText('to 205°')
})

test('a print that was made elsewhere is timed by hand, and what can’t be meant is asked about', async ({
  page,
  request,
}) => {
  await ownPrinter(request, 'Jarrah')
  await drop(page, 'quince box', part('quince box', 40))
  await pick(side(page), 'Printer', 'Jarrah')
  await expect(side(page)).toContainText('Jarrah is not connected')
  await expect(side(page).getByRole('button', { name: 'Print it on Jarrah' })).toBeDisabled()
  await side(page).getByText('Printed elsewhere?').click()
  await side(page).getByLabel('Took, min').fill('55')
  await side(page).getByRole('button', { name: 'Keep it' }).click()
  await expect(side(page).getByRole('alert')).toContainText('can’t be the same print')
  await side(page).getByLabel('Took, min').fill('5,9')
  await side(page).getByLabel('Took, min').press('Enter')
  await expect(side(page)).toContainText(/By its clock .* ± /)
  await expect(side(page)).toContainText('from 1 print.')
})

test('a file that the guard doesn’t let through is not sent, and says which line', async ({
  page,
  request,
}) => {
  const { printer } = await onTwin(request, 'Wenge')
  const text = part('bad box', 6, ['M104 S290', 'M92 E500', 'G1 X400'])
  await drop(page, 'bad box', text)
  await pick(side(page), 'Printer', 'Wenge')
  await expect(side(page)).toContainText('3 of its lines may not be sent. Line 9:')
  await side(page).getByText('What may not be sent (3)').click()
  const lines = side(page).getByRole('listitem')
  await expect(lines.nth(0)).toContainText('Line 9: 290 °C is above the ceiling')
  await expect(lines.nth(1)).toContainText('Line 10: M92 changes a setting of the machine')
  await expect(lines.nth(2)).toContainText('Line 11: X400 is outside 0 to 235 mm')
  await expect(side(page).getByRole('button', { name: 'Print it on Wenge' })).toHaveCount(0)
  const id = /prints\/(\d+)/.exec(page.url())?.[1]
  const sent = await request.post(`/api/v1/prints/${id}/print`, { data: { printer_id: printer } })
  expect(sent.status()).toBe(422)
})

test('a command that nobody here knows is left out only when that is meant', async ({ page, request }) => {
  await onTwin(request, 'Tupelo')
  await drop(page, 'odd box', part('odd box', 3, ['M486 T1', 'M117 hello', 'M486 S0']))
  await pick(side(page), 'Printer', 'Tupelo')
  await expect(side(page)).toContainText('Left out, because nobody here knows what they do: M486')
  const button = side(page).getByRole('button', { name: 'Print it on Tupelo' })
  await expect(button).toBeDisabled()
  await side(page).getByRole('checkbox', { name: 'Print it without M486 (2×)' }).check()
  await button.click()
  await expect(side(page)).toContainText('odd box.gcode: printed in', { timeout: 60_000 })
})

test('a stop takes the heat away and says how far it came', async ({ page, request }) => {
  await onTwin(request, 'Wildpear')
  await drop(page, 'stop box', part('stop box', 60))
  await pick(side(page), 'Printer', 'Wildpear')
  await side(page).getByRole('button', { name: 'Print it on Wildpear' }).click()
  await expect(bar(page)).toContainText(/layer \d+ of 60/)
  await bar(page).getByRole('button', { name: 'Stop it, heaters off' }).click()
  await expect(side(page)).toContainText(/stop box\.gcode: stopped by hand after line \d+, layer \d+ of 60/)
  await expect(page.getByRole('contentinfo', { name: 'Heat of connected printers' })).not.toContainText(
    'to 205°',
  )
})

test('a printer whose plug is pulled ends the print, told where, and is asked for zero when it is back', async ({
  page,
  request,
}) => {
  const { twin } = await onTwin(request, 'Bullace')
  await drop(page, 'cut box', part('cut box', 60))
  await pick(side(page), 'Printer', 'Bullace')
  await side(page).getByRole('button', { name: 'Print it on Bullace' }).click()
  await expect(bar(page)).toContainText(/layer \d+ of 60/)
  await twin.off()
  await expect(side(page)).toContainText(/cut box\.gcode: broken off after line \d+, layer \d+ of 60/)
  await expect(side(page)).toContainText('lift the head by hand')
  const [run] = await runs(request, page.url())
  expect(run?.how).toBe('broken')
  await twin.on()
  await expect(page.getByRole('contentinfo', { name: 'Heat of connected printers' })).toContainText('SAFE', {
    timeout: 30_000,
  })
})

test('a server that dies in a print says so when it is back, and takes its heat away', async ({
  page,
  request,
}) => {
  const server = new OwnServer(['serve', '--data', mkdtempSync(join(tmpdir(), 'print-'))])
  try {
    const url = await server.start()
    await onTwin(request, 'Sloe', url)
    await drop(page, 'long box', part('long box', 90), url)
    await pick(side(page), 'Printer', 'Sloe')
    await side(page).getByRole('button', { name: 'Print it on Sloe' }).click()
    await expect(bar(page)).toContainText(/layer \d+ of 90/)
    const at = page.url()
    await server.kill()
    const again = await server.start(new URL(url).host)
    expect(again).toBe(url)
    await expect
      .poll(async () => (await runs(request, at, url))[0]?.says ?? '', { timeout: 30_000 })
      .toContain('Wattotherm ended while it printed')
    await page.goto(at)
    const strip = page.getByRole('contentinfo', { name: 'Heat of connected printers' })
    await expect(strip).toContainText(/Sloe/)
    await expect(strip).not.toContainText('to 205°', { timeout: 30_000 })
  } finally {
    await server.end()
  }
})

test('bands are dragged on the strip', async ({ page }) => {
  await drop(page, 'drag box', part('drag box', 100))
  await page.getByLabel('First').fill('200')
  await pick(side(page), 'What', 'Nozzle temperature')
  await page.getByLabel('Last').fill('190')
  await page.getByLabel('Step').fill('5')
  await page.getByLabel('Every, mm').fill('4')
  const strip = page.getByRole('slider', { name: 'Layer' })
  await expect(strip).toContainText('195 °C')
  const edge = async (n: number) => {
    const box = await strip.locator(`[data-edge="${n}"]`).boundingBox()
    if (!box) throw new Error('no edge')
    return { x: box.x + box.width / 2, y: box.y + box.height / 2 }
  }
  // The upper edge of the second band, two bands up: each becomes half as high again.
  const [first, second, third] = [await edge(0), await edge(2), await edge(3)]
  await page.mouse.move(second.x, second.y)
  await page.mouse.down()
  await page.mouse.move(third.x, third.y, { steps: 5 })
  await page.mouse.up()
  await expect(page.getByLabel('Every, mm')).toHaveValue('6.0')
  // The lowest edge moves all of them.
  await page.mouse.move(first.x, first.y)
  await page.mouse.down()
  await page.mouse.move(second.x, second.y, { steps: 5 })
  await page.mouse.up()
  await expect(page.getByLabel('From, mm')).toHaveValue('8.0')
  await expect(page.getByLabel('Every, mm')).toHaveValue('6.0')
})

test('a test piece is made for a printer and printed there', async ({ page, request }) => {
  await onTwin(request, 'Tamarisk')
  await page.goto('/prints')
  await page.getByText('Make a test piece').click()
  const maker = page.getByRole('region', { name: 'Test piece' })
  await pick(maker, 'Piece', 'first-layer patches')
  await expect(maker).toContainText('Proves how thick the first layer is')
  await pick(maker, 'For which printer', 'Tamarisk')
  await maker.getByLabel('Nozzle, °C').fill('280')
  await maker.getByRole('button', { name: 'Make the first-layer patches' }).click()
  await expect(maker.getByRole('alert')).toContainText('280 °C is above the ceiling')
  await maker.getByLabel('Nozzle, °C').fill('205')
  await maker.getByLabel('Length of a side, mm (20)').fill('12,5')
  await maker.getByLabel('Length of a side, mm (20)').press('Enter')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('patches-0.4:')
  await expect(side(page)).toContainText('lines may be sent')
  await side(page).getByRole('button', { name: 'Print it on Tamarisk' }).click()
  await expect(side(page)).toContainText('patches-0.4.gcode: printed in', { timeout: 60_000 })
})
