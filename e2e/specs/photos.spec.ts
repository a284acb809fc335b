import AxeBuilder from '@axe-core/playwright'
import { expect, test } from '@playwright/test'

import { ownPrinter, pick, startJob } from '../bench'
import { tickOpen, workTo } from '../closings'

/* A picture as a canvas paints it: a dark block with a bright drop at its tip. */
async function picture(page: import('@playwright/test').Page) {
  const url = await page.evaluate(() => {
    const c = document.createElement('canvas')
    ;[c.width, c.height] = [640, 420]
    const pen = c.getContext('2d')
    if (!pen) throw new Error('no canvas')
    pen.fillStyle = '#8a8f8a'
    pen.fillRect(0, 0, 640, 420)
    pen.fillStyle = '#3a3d3b'
    pen.fillRect(220, 60, 200, 200)
    pen.fillStyle = '#d98d4a'
    pen.beginPath()
    pen.arc(320, 300, 26, 0, 7)
    pen.fill()
    return c.toDataURL('image/png')
  })
  return Buffer.from(url.split(',')[1] ?? '', 'base64')
}

test('a picture is kept at its station, marked with the pen, and stands in the report', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Jasmine')
  const job = await startJob(request, printer, ['nozzle_same'])
  await workTo(page, request, job, 'baseline')
  const strip = page.getByRole('region', { name: 'Pictures' })
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'tip.png', mimeType: 'image/png', buffer: await picture(page) })
  await strip.getByRole('button', { name: /Open picture/ }).click()
  const dialog = page.getByRole('dialog', { name: /Picture \d+/ })
  const image = dialog.getByRole('img')
  await expect(image).toBeVisible()
  const box = await image.boundingBox()
  if (!box) throw new Error('no picture')
  await page.mouse.move(box.x + box.width * 0.8, box.y + box.height * 0.4)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width * 0.56, box.y + box.height * 0.68, { steps: 5 })
  await page.mouse.up()
  await dialog.getByRole('radio', { name: 'ring' }).check()
  await page.mouse.move(box.x + box.width * 0.42, box.y + box.height * 0.6)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width * 0.58, box.y + box.height * 0.82, { steps: 5 })
  await page.mouse.up()
  await dialog.getByLabel('What it shows').fill('plastic at the tip')
  await dialog.getByRole('button', { name: 'Keep it so' }).click()
  await expect(dialog).toHaveCount(0)
  await expect(strip).toContainText('plastic at the tip')
  const kept = (await (await request.get(`/api/v1/jobs/${job}/photos`)).json()) as {
    marks: { shape: string; to: number[] }[]
  }[]
  expect(kept[0]?.marks.map((m) => m.shape)).toEqual(['arrow', 'ring'])
  expect(kept[0]?.marks[0]?.to[0]).toBeCloseTo(0.56, 1)
  // What is no picture is refused, and nothing is lost.
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'note.png', mimeType: 'image/png', buffer: Buffer.from('no picture at all') })
  await expect(strip.getByRole('alert')).toContainText('no picture that can be read')
  await tickOpen(page)
  await workTo(page, request, job, 'offset_z')
  await page.goto(`/jobs/${job}/first_print`)
  await expect(strip).toContainText('baseline: plastic at the tip')
  // With a picture of its own, both lie over each other under a slider that keys move.
  await expect(strip.getByRole('button', { name: 'Before and after …' })).toHaveCount(0)
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'now.png', mimeType: 'image/png', buffer: await picture(page) })
  await strip.getByRole('button', { name: 'Before and after …' }).click()
  const both = page.getByRole('dialog', { name: 'Before and after' })
  await expect(both.getByRole('img', { name: 'Before: plastic at the tip' })).toBeVisible()
  const after = both.getByRole('img', { name: /^After: / })
  await expect(after).toHaveCSS('clip-path', 'inset(0px 0px 0px 50%)')
  const slider = both.getByRole('slider', { name: 'Earlier picture, %' })
  await slider.focus()
  await slider.press('ArrowRight')
  await expect(after).toHaveCSS('clip-path', 'inset(0px 0px 0px 52%)')
  expect((await new AxeBuilder({ page }).include('[role=dialog]').analyze()).violations).toEqual([])
  await both.getByRole('button', { name: 'Done' }).click()
  await expect(both).toHaveCount(0)
  await page.goto(`/jobs/${job}/report`)
  await expect(page.getByRole('article')).toContainText('Baseline print: plastic at the tip')
  await expect(page.getByRole('article').getByRole('img', { name: 'plastic at the tip' })).toBeVisible()
  await page.goto(`/printers/${printer}`)
  await expect(page.getByRole('figure').last()).toContainText(`plastic at the tip, job ${job}`)
})

test('a picture of one step is found again at that step', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Guava')
  const job = await startJob(request, printer, ['nozzle_same'])
  await workTo(page, request, job, 'intake')
  const strip = page.getByRole('region', { name: 'Pictures' })
  await pick(strip, 'Picture of', 'Photograph wiring')
  await strip
    .getByLabel('Add a picture')
    .setInputFiles({ name: 'wires.png', mimeType: 'image/png', buffer: await picture(page) })
  await expect(strip.getByRole('figure')).toContainText('Photograph wiring and parts')
  const kept = (await (await request.get(`/api/v1/jobs/${job}/photos`)).json()) as { step: string }[]
  expect(kept.map((p) => p.step)).toEqual(['photograph'])
})
