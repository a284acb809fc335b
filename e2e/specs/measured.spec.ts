import { expect, test, type Page } from '@playwright/test'

import { ownFilament, ownPrinter, startJob } from '../bench'

/* Readings taken from a picture: painted by a canvas, as a camera would have it, with grain. */

/** Two posts with strings between them, dark behind. */
async function posts(page: Page, strings: number) {
  const url = await page.evaluate((n) => {
    const c = document.createElement('canvas')
    ;[c.width, c.height] = [1200, 900]
    const pen = c.getContext('2d')
    if (!pen) throw new Error('no canvas')
    pen.fillStyle = '#4a4d50'
    pen.fillRect(0, 0, 1200, 900)
    pen.fillStyle = '#b9bdb6'
    pen.fillRect(150, 80, 150, 740)
    pen.fillRect(900, 80, 150, 740)
    pen.strokeStyle = '#cdd2c8'
    pen.lineWidth = 3
    for (let i = 0; i < n; i += 1) {
      const y = 150 + (600 * (i + 0.5)) / n
      pen.beginPath()
      pen.moveTo(300, y)
      pen.quadraticCurveTo(600, y + 20 + 6 * i, 900, y + 9)
      pen.stroke()
    }
    const grain = pen.getImageData(0, 0, 1200, 900)
    let seed = 7
    for (let i = 0; i < grain.data.length; i += 4) {
      seed = (seed * 48271) % 2147483647
      const g = (seed / 2147483647 - 0.5) * 20
      for (let k = 0; k < 3; k += 1) grain.data[i + k] = (grain.data[i + k] ?? 0) + g
    }
    pen.putImageData(grain, 0, 0)
    return c.toDataURL('image/png')
  }, strings)
  return Buffer.from(url.split(',')[1] ?? '', 'base64')
}

test('strings are counted on a picture, drawn where they hang, and taken as the score of their print', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Loquat')
  const filament = await ownFilament(request, printer, 'PETG of Loquat')
  const job = await startJob(request, printer, ['tube'], [filament])
  const key = `retraction.${filament}`
  await page.goto(`/jobs/${job}/${key}`)
  const strip = page.getByRole('region', { name: 'Pictures' })
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'posts.png', mimeType: 'image/png', buffer: await posts(page, 4) })
  await strip.getByRole('button', { name: /Open picture/ }).click()
  const dialog = page.getByRole('dialog', { name: /Picture \d+/ })
  await dialog.getByRole('button', { name: 'Measure on it' }).click()
  await expect(dialog).toContainText('Corners on the inner edges of both posts')
  // Corners by the mouse, and one of them by keys.
  const image = dialog.getByRole('img', { name: 'print 1' })
  const box = await image.boundingBox()
  if (!box) throw new Error('no picture')
  const corner = (name: string) => dialog.getByRole('button', { name: new RegExp(`^Corner ${name}`) })
  for (const [name, x, y] of [
    ['top left', 0.27, 0.13],
    ['top right', 0.73, 0.13],
    ['bottom right', 0.73, 0.87],
    ['bottom left', 0.27, 0.85],
  ] as const) {
    await corner(name).hover()
    await page.mouse.down()
    await page.mouse.move(box.x + box.width * x, box.y + box.height * y, { steps: 4 })
    await page.mouse.up()
  }
  for (let i = 0; i < 4; i += 1) await corner('bottom left').press('ArrowDown')
  await expect(corner('bottom left')).toHaveAccessibleName(/27 % from the left, 87 % from the top/)
  await dialog.getByRole('button', { name: 'Measure it' }).click()
  await expect(dialog.getByRole('status')).toContainText('4 strings seen; that scores 2.')
  await dialog.getByRole('button', { name: 'Take 2' }).click()
  await expect(dialog).toHaveCount(0)
  await expect(page.getByLabel('Strings 1', { exact: true })).toHaveValue('2')
  await expect(strip).toContainText('strings of print 1: 2, read from this picture')
})

test('a picture that can’t be read says what to do, and the reading stays as it was typed', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Calamondin')
  const filament = await ownFilament(request, printer, 'PETG of Calamondin')
  const job = await startJob(request, printer, ['tube'], [filament])
  await page.goto(`/jobs/${job}/pressure_advance.${filament}`)
  await page.getByLabel('First look', { exact: true }).fill('7')
  const strip = page.getByRole('region', { name: 'Pictures' })
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'posts.png', mimeType: 'image/png', buffer: await posts(page, 3) })
  await strip.getByRole('button', { name: /Open picture/ }).click()
  const dialog = page.getByRole('dialog', { name: /Picture \d+/ })
  await dialog.getByRole('button', { name: 'Measure on it' }).click()
  await dialog.getByRole('button', { name: 'Measure it' }).click()
  await expect(dialog.getByRole('alert')).toContainText(/lines are seen, and the piece has 21|can’t be told/)
  await page.keyboard.press('Escape')
  await expect(page.getByLabel('First look', { exact: true })).toHaveValue('7')
})
