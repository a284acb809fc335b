import { readFile } from 'node:fs/promises'

import { expect, test } from '@playwright/test'

import { ownPrinter, pick } from '../bench'

/** A wall of four sides, so many layers of 0.2 mm; a name makes it a content of its own. */
function part(name: string, layers: number, feed = 1800) {
  const out = [`; ${name}`, 'M83', 'G90', 'M104 S210', 'G28']
  for (let l = 1; l <= layers; l += 1) {
    out.push(
      `G1 Z${(0.2 * l).toFixed(1)} F600`,
      'G1 E-0.8 F2100',
      'G0 X20 Y20 F7800',
      'G1 E0.8 F2100',
      `G1 F${feed}`,
    )
    for (const [x, y] of [
      [50, 20],
      [50, 50],
      [20, 50],
      [20, 20],
    ])
      out.push(`G1 X${x} Y${y} E1`)
  }
  return out.join('\n') + '\n'
}
const file = (name: string, text: string) => ({ name, mimeType: 'text/plain', buffer: Buffer.from(text) })

test('a part is dropped in, walked layer by layer, changed by height and saved', async ({ page }) => {
  await page.goto('/prints')
  await page.getByLabel('Drop a sliced part').setInputFiles(file('wren box.gcode', part('wren box', 60)))
  await expect(page).toHaveURL(/\/prints\/\d+$/)
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/^wren box: \d+ min, /)
  const strip = page.getByRole('slider', { name: 'Layer' })
  await expect(strip).toHaveAttribute('aria-valuetext', 'layer 31 of 60, 6.20 mm')
  await strip.focus()
  await page.keyboard.press('End')
  await page.keyboard.press('ArrowDown')
  await expect(strip).toHaveAttribute('aria-valuetext', 'layer 59 of 60, 11.80 mm')
  const layer = page.getByRole('img', { name: 'Layer at 11.80 mm: 4 beads' })
  await expect(layer).toBeVisible()
  // The outline is drawn true to scale in the middle: its lower edge is under the pointer there.
  await layer.hover()
  const box = await layer.boundingBox()
  if (!box) throw new Error('no drawing')
  const scale = Math.min((box.width - 36) / 30, (box.height - 36) / 30)
  await page.mouse.move(box.x + box.width / 2 + 40, box.y + box.height / 2 + 15 * scale)
  await expect(
    page.getByText(/^Line \d+: 0\.44 mm wide, up to 30 mm\/s, bound by its own speed$/),
  ).toBeVisible()

  // What is refused says why, and what is typed stays.
  await page.getByLabel('First').fill('1,15')
  await page.getByLabel('Last').fill('1.4')
  await page.getByLabel('Step').fill('0.05')
  await page.getByLabel('Profile has').fill('1.12')
  await page.getByRole('button', { name: 'Make it with 6 bands' }).click()
  await expect(page.getByRole('alert')).toContainText('outside the part, whose top is 12.00 mm')
  await page.getByLabel('Every, mm').fill('2')
  // What was wrong with other numbers is gone with them.
  await expect(page.getByRole('alert')).toHaveCount(0)
  await expect(page.getByText('with profile 1.288')).toBeVisible()
  await page.reload()
  await expect(page.getByLabel('First')).toHaveValue('1,15')
  await page.getByRole('button', { name: 'Make it with 6 bands' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('wren box-flow')
  await expect(page.getByText('7 places changed, read again, all else the same')).toBeVisible()
  await expect(page.getByText('with profile 1.568')).toBeVisible()
  const save = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Save the file' }).click()
  const saved = await readFile(await (await save).path(), 'utf8')
  const left = saved.split('\n').filter((l) => !l.startsWith('M221'))
  expect(left.join('\n')).toBe(part('wren box', 60))
  expect(saved.match(/M221 S/g)).toHaveLength(7)
})

test('two files stand beside each other, and another bore is estimated', async ({ page }) => {
  await page.goto('/prints')
  await page.getByLabel('Drop a sliced part').setInputFiles(file('quick.gcode', part('quick', 20, 6000)))
  await expect(page.getByRole('heading', { level: 1 })).toContainText('quick:')
  await page.goto('/prints')
  await page.getByLabel('Drop a sliced part').setInputFiles(file('slow.gcode', part('slow', 20, 1200)))
  await expect(page.getByRole('heading', { level: 1 })).toContainText('slow:')
  await page.getByText('Is another bore worth it?').click()
  const bore = page.getByRole('region', { name: 'Another bore' })
  await bore.getByLabel('Width, mm').fill('much')
  await bore.getByLabel('Layer, mm').fill('0,4')
  await bore.getByRole('button', { name: 'Estimate' }).click()
  await expect(bore.getByRole('alert')).toContainText('“much” is no number')
  await bore.getByLabel('Width, mm').fill('0.8')
  await bore.getByRole('button', { name: 'Estimate' }).click()
  await expect(bore.getByRole('status')).toContainText('10 layers instead of 20')
  await pick(bore, 'Or beside another file', 'quick')
  await bore.getByRole('button', { name: 'Compare' }).click()
  await expect(bore.getByRole('status').last()).toContainText('% saved')
})

test('how hot a band may be is the printer’s affair', async ({ page, request }) => {
  await ownPrinter(request, 'Camphor', {}, '', { hot_end: 'all_metal', firmware_limit_c: 290 })
  await page.goto('/prints')
  await page.getByLabel('Drop a sliced part').setInputFiles(file('hot.gcode', part('hot', 30)))
  await expect(page.getByRole('heading', { level: 1 })).toContainText('hot:')
  const side = page.getByRole('complementary', { name: 'Numbers and changes' })
  await pick(side, 'What', 'Nozzle temperature')
  await page.getByLabel('First').fill('250')
  await expect(page.getByText('250 °C is above the ceiling of 235 °C.')).toBeVisible()
  await pick(side, 'Printer', 'Camphor')
  await page.getByLabel('Every, mm').fill('4')
  await page.getByRole('button', { name: 'Make it with 1 band' }).press('Enter')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('hot-temperature')
  await expect(page.getByRole('slider', { name: 'Layer' })).toContainText('250 °C')
})

test('a part is let go once it is asked for, and its copies stay', async ({ page }) => {
  await page.goto('/prints')
  await page.getByLabel('Drop a sliced part').setInputFiles(file('gone.gcode', part('gone', 12)))
  await expect(page.getByRole('heading', { level: 1 })).toContainText('gone:')
  await page.getByRole('button', { name: 'Let it go …' }).press('Enter')
  await page.getByRole('dialog').getByRole('button', { name: 'Keep it' }).press('Enter')
  await expect(page.getByRole('dialog')).toHaveCount(0)
  await page.getByRole('button', { name: 'Let it go …' }).press('Enter')
  await page.getByRole('dialog').getByRole('button', { name: 'Let it go' }).press('Enter')
  await expect(page).toHaveURL(/\/prints$/)
  await expect(page.getByRole('link', { name: 'gone.gcode' })).toHaveCount(0)
})

test('a file that is no part is refused in words', async ({ page }) => {
  await page.goto('/prints')
  await page.getByLabel('Drop a sliced part').setInputFiles(file('notes.txt', 'buy filament\n'))
  await expect(page.getByRole('alert')).toContainText('This file lays no bead')
  await expect(page.getByLabel('Drop a sliced part')).toBeAttached()
})

test('a printer’s own begin and end of pieces are tried by the guard before they are kept', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Ironwood')
  await page.goto(`/prints?piece=cube&printer=${printer}`)
  await page.getByText('How pieces of this printer begin and end').click()
  const begin = page.getByLabel('Begin', { exact: true })
  await begin.fill('G28\nM109 S400')
  await page.getByRole('button', { name: 'Keep begin and end' }).click()
  await expect(page.getByRole('alert')).toContainText(/Line 2: 400 °C is above the ceiling/)
  // Nothing typed is lost by a refusal.
  await expect(begin).toHaveValue('G28\nM109 S400')
  await begin.fill('G28\nM190 S{bed}\nM109 S{nozzle}')
  await page.getByRole('button', { name: 'Keep begin and end' }).click()
  await expect(page.getByText('Kept. Pieces made from now on begin and end so.')).toBeVisible()
  await page.reload()
  await page.getByText('How pieces of this printer begin and end').click()
  await expect(begin).toHaveValue('G28\nM190 S{bed}\nM109 S{nozzle}')
})

test('a long reading says how far it is, and ends when one goes away', async ({ page, request }) => {
  const part = 'M83\nG1 X10 Y10 Z0.2 F3000\nG1 X60 E3 F900\nG1 Y60 E3\n'
  const made = await request.post('/api/v1/prints?name=slow.gcode', {
    headers: { 'content-type': 'application/octet-stream' },
    data: Buffer.from(part),
  })
  const { id } = (await made.json()) as { id: number }
  // A file that takes long: its answer is held back, and its reading stands at two fifths.
  let letGo = () => {}
  const held = new Promise<void>((resolve) => (letGo = resolve))
  await page.route(`**/api/v1/prints/${id}`, async (route) => {
    await held
    await route.continue().catch(() => {})
  })
  await page.route('**/api/v1/reading', (route) => route.fulfill({ json: [{ print_id: id, part: 0.4 }] }))
  await page.goto(`/prints/${id}`)
  await expect(page.getByText('Reading it through …')).toBeVisible()
  await expect(page.getByRole('status').filter({ hasText: 'Reading' })).toContainText('40%')
  const ended = page.waitForEvent('requestfailed', (r) => r.url().endsWith(`/prints/${id}`))
  await page.getByRole('link', { name: 'Stop, and go back' }).click()
  await expect(page.getByRole('heading', { level: 1, name: 'Prints' })).toBeVisible()
  await ended
  letGo()
})
