import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

import { expect, test } from '@playwright/test'

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
    const printer = await ownPrinter(request, 'Elder', { drive: 93 }, url)
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
