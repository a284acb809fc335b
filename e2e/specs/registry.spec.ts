import AxeBuilder from '@axe-core/playwright'
import { expect, test, type APIRequestContext, type Page } from '@playwright/test'

import { openAll, ownFilament, ownPrinter } from '../bench'

/* Every kind of station that the server knows gets these tests by itself: one that is added is tested with
   no line written here. A job of many parts has them all on its route. */

/* Each walks through all stations: on a machine that builds beside it that takes minutes. They share nothing. */
test.describe.configure({ mode: 'parallel', timeout: 400_000 })

interface Stop {
  key: string
  station: string
}

async function everyStation(
  request: APIRequestContext,
  name: string,
): Promise<{ job: number; stops: Stop[] }> {
  const printer = await ownPrinter(request, name, { drive: 93, offset_z: -1.6, tram: 0.04 }, '', {
    probe_mm: [-40, -10],
    z_motors: 2,
    nozzles: 2,
  })
  const filament = await ownFilament(request, printer, `PETG of ${name}`)
  // A strange machine with many new parts asks for everything.
  const made = await request.post('/api/v1/jobs', {
    data: {
      printer_id: printer,
      begins: { with: 'inspection' },
      replaced: ['control_board', 'nozzle_same', 'hot_end_other', 'extruder_drive', 'tube', 'bed_probe'],
      filament_ids: [filament],
    },
  })
  expect(made.status()).toBe(201)
  const job = ((await made.json()) as { id: number }).id
  const page = (await (await request.get(`/api/v1/jobs/${job}`)).json()) as {
    traveller: { lines: { key: string }[] }
  }
  const stops: Stop[] = []
  for (const { key } of page.traveller.lines) {
    const { station } = (await (await request.get(`/api/v1/jobs/${job}/stops/${key}`)).json()) as Stop
    if (!stops.some((s) => s.station === station)) stops.push({ key, station })
  }
  const all = (await (await request.get('/api/v1/stations')).json()) as string[]
  expect(stops.map((s) => s.station).sort()).toEqual([...all].sort())
  return { job, stops }
}

async function open(page: Page, job: number, stop: Stop) {
  await page.goto(`/jobs/${job}/${stop.key}`)
  await openAll(page)
}

const worktop = (page: Page) => page.getByRole('region', { name: 'Worktop' })

test('every station refuses what is no number, kindly, and keeps it', async ({ page, request }) => {
  const { job, stops } = await everyStation(request, 'Alder buckthorn')
  let fields = 0
  for (const stop of stops) {
    await open(page, job, stop)
    for (const box of await worktop(page).locator('[data-reading][inputmode=decimal]').all()) {
      const before = await box.inputValue()
      await box.fill('12x4')
      await expect(box, stop.key).toHaveAccessibleDescription(
        /“12x4” is not a number\. Type the .+ in digits/,
      )
      await expect(box).toHaveValue('12x4')
      await box.fill(before)
      await expect(box).not.toHaveAttribute('aria-invalid', 'true')
      fields += 1
    }
  }
  expect(fields).toBeGreaterThan(60)
})

test('at every station Enter goes down through what is to be answered and ends at the button', async ({
  page,
  request,
}) => {
  const { job, stops } = await everyStation(request, 'Bird cherry')
  for (const stop of stops) {
    await open(page, job, stop)
    const first = worktop(page)
      .locator('[data-reading]:not([data-prefilled]):visible, [data-step], [data-answers] input')
      .first()
    if ((await first.count()) === 0) continue
    await first.focus()
    let last = -1
    for (let presses = 0; ; presses += 1) {
      expect(presses, `${stop.key}: Enter comes to an end`).toBeLessThan(80)
      const at = await page.evaluate(() => {
        const here = document.activeElement as HTMLElement
        const top = here.getBoundingClientRect().top + (here.closest('main')?.scrollTop ?? 0)
        return { close: here.matches('[data-close]'), prefilled: here.matches('[data-prefilled]'), top }
      })
      if (at.close) break
      expect(at.prefilled, `${stop.key}: not into what is filled in`).toBe(false)
      const order: number = await page.evaluate(() =>
        [...document.querySelectorAll('*')].indexOf(document.activeElement ?? document.body),
      )
      expect(order, `${stop.key}: on, never back`).toBeGreaterThan(last)
      last = order
      // A step is ticked by Enter; a button that can't be pressed yet can't take the hand either.
      await page.keyboard.press('Enter')
      if (await page.evaluate(() => document.activeElement === document.body)) break
      const stayed = await page.evaluate(
        (n) => [...document.querySelectorAll('*')].indexOf(document.activeElement ?? document.body) === n,
        last,
      )
      if (stayed) break
    }
  }
})

for (const scheme of ['light', 'dark'] as const)
  test(`every station has no accessibility violation in ${scheme}`, async ({ page, request }) => {
    const { job, stops } = await everyStation(request, scheme === 'light' ? 'Guelder rose' : 'Wayfaring tree')
    await page.emulateMedia({ colorScheme: scheme, reducedMotion: 'reduce' })
    for (const stop of stops) {
      await open(page, job, stop)
      const { violations } = await new AxeBuilder({ page })
        .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
        .analyze()
      expect(
        violations.map(
          (v) => `${stop.key}: ${v.id}: ${v.nodes.map((n) => n.html.slice(0, 200)).join(' | ')}`,
        ),
      ).toEqual([])
    }
  })

test.describe('in the hand', () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true })

  test('every station fits a phone: nothing wider, fields for a thumb, the button always in reach', async ({
    page,
    request,
  }) => {
    const { job, stops } = await everyStation(request, 'Spindle tree')
    for (const stop of stops) {
      await open(page, job, stop)
      const wrong = await page.evaluate(() => {
        const found: string[] = []
        if (document.documentElement.scrollWidth > innerWidth + 1) found.push('wider than the screen')
        for (const e of document.querySelectorAll<HTMLElement>(
          'main button, main .n-checkbox, main [data-reading], main label:has(input[type=radio])',
        )) {
          const box = e.getBoundingClientRect()
          if (box.height > 1 && box.height < 43.5)
            found.push(`“${e.textContent?.trim().slice(0, 30)}” is ${box.height.toFixed(0)} px high`)
        }
        for (const text of document.querySelectorAll<SVGTextElement>('main svg text')) {
          const scale = text.getScreenCTM()?.a ?? 1
          const size = parseFloat(getComputedStyle(text).fontSize) * scale
          if (text.textContent?.trim() && size < 11.9)
            found.push(`“${text.textContent}” is ${size.toFixed(1)} px`)
        }
        return found.slice(0, 5)
      })
      expect(wrong, stop.key).toEqual([])
      await expect(page.locator('[data-close]'), stop.key).toBeInViewport()
    }
  })
})
