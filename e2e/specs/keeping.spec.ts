import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

import { expect, test, type Page } from '@playwright/test'

import { ownPrinter, startJob } from '../bench'
import { OwnServer } from '../server'

test('nothing typed is lost by a reload, a power cut, or typing while the server is away', async ({
  page,
  request,
}) => {
  const server = new OwnServer(['serve', '--data', mkdtempSync(join(tmpdir(), 'wattotherm-'))])
  try {
    const url = await server.start()
    const address = url.replace('http://', '')
    const printer = await ownPrinter(request, 'Papaya', { drive: 93 }, url)
    const job = await startJob(request, printer, ['extruder_drive'], [], url)
    const at = `${url}/jobs/${job}/drive`
    const run = (n: number) => page.getByLabel(`Run ${n}, left over`)
    const kept = page.getByText('Kept on disk.')
    await page.goto(at)
    await run(1).fill('27,5')
    await expect(kept).toBeVisible()
    await page.reload()
    await expect(run(1)).toHaveValue('27,5')

    await run(2).fill('27.0')
    await expect(page.getByText(/Adjust/).first()).toBeVisible()
    await expect(kept).toBeVisible()
    await server.kill()
    await run(3).fill('2')
    await expect(page.getByText(/Not kept yet\. The server does not answer/)).toBeVisible()
    await run(3).fill('26.5')
    await server.start(address)
    await expect(kept).toBeVisible()
    await page.reload()
    for (const [n, value] of [
      [1, '27,5'],
      [2, '27.0'],
      [3, '26.5'],
    ] as const) {
      await expect(run(n)).toHaveValue(value)
    }
  } finally {
    await server.kill()
  }
})

test('two pages at one station: what is typed apart merges, what is typed twice is shown to both, nothing is lost', async ({
  context,
  request,
}) => {
  const printer = await ownPrinter(request, 'Lilac', { drive: 93 })
  const job = await startJob(request, printer, ['extruder_drive'])
  const [one, two] = [await context.newPage(), await context.newPage()]
  const run = (page: Page, n: number) => page.getByLabel(`Run ${n}, left over`)
  const both = [one, two]
  for (const page of both) {
    await page.goto(`/jobs/${job}/drive`)
    await expect(run(page, 1)).toBeVisible()
  }
  await run(one, 1).fill('27.5')
  await expect(run(two, 1)).toHaveValue('27.5')
  await run(two, 2).fill('27.0')
  await expect(run(one, 2)).toHaveValue('27.0')
  // Both type in one field before either hears of the other.
  for (const page of both) await page.route('**/draft', (route) => route.abort())
  await run(one, 3).fill('26.5')
  await run(two, 3).fill('2.65')
  await expect(one.getByText('Not kept yet.')).toBeVisible()
  await expect(two.getByText('Not kept yet.')).toBeVisible()
  await one.unroute('**/draft')
  await expect(one.getByText('Kept on disk.')).toBeVisible()
  await two.unroute('**/draft')
  for (const page of both)
    await expect(page.getByRole('alert').filter({ hasText: 'Two pages typed in' })).toContainText(
      '26.5 stands, 2.65 was typed too.',
    )
  // Typed on without a choice: it stays here, and what stands stays too.
  await expect(run(two, 3)).toHaveValue('2.65')
  await run(two, 3).fill('26.6')
  await expect(one.getByText('26.5 stands, 26.6 was typed too.')).toBeVisible()
  await two.getByRole('button', { name: 'Leave 26.5' }).click()
  await expect(run(two, 3)).toHaveValue('26.5')
  for (const page of both) await expect(page.getByText('Two pages typed in')).toBeHidden()
  await one.reload()
  for (const [n, value] of [
    [1, '27.5'],
    [2, '27.0'],
    [3, '26.5'],
  ] as const)
    await expect(run(one, n)).toHaveValue(value)
})

test('the last key before a page is left is kept', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Baobab', { drive: 93 })
  const job = await startJob(request, printer, ['extruder_drive'])
  await page.goto(`/jobs/${job}/drive`)
  const run = page.getByLabel('Run 1, left over')
  await run.fill('27.5')
  await page.goto('about:blank')
  await page.goto(`/jobs/${job}/drive`)
  await expect(run).toHaveValue('27.5')
})
