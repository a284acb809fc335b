import { expect, test } from '@playwright/test'

/* Every page at every size that it is looked at in: nothing wider than the screen, nothing covered. */
const sizes = [
  { width: 1280, height: 800 },
  { width: 1024, height: 700 },
  { width: 768, height: 1024 },
  { width: 390, height: 844 },
]
const pages = [
  '/',
  '/jobs',
  '/jobs/new/2',
  '/jobs/3/drive',
  '/jobs/5/offset_z',
  '/jobs/3/acceptance',
  '/jobs/3/compare',
  '/jobs/3/flow.2',
  '/jobs/3/retraction.2',
  '/jobs/4/hot_tighten',
  '/jobs/4/intake',
  '/jobs/5/tram',
  '/jobs/6/heater_loop',
  '/jobs/6/heater',
  '/jobs/7/sensor_type',
  '/jobs/1/report',
  '/printers/1',
  '/printers/5/link',
  '/rules',
  '/logbook',
  '/traces',
  '/prints',
  '/prints/2',
  '/wrong/1',
  '/wrong/2',
  '/wrong/new/1',
]

for (const scheme of ['light', 'dark'] as const)
  for (const size of sizes)
    test(`at ${size.width}×${size.height}, ${scheme}, nothing is wider than the screen or covered`, async ({
      page,
    }) => {
      await page.emulateMedia({ colorScheme: scheme })
      await page.setViewportSize(size)
      const all: Record<string, string[]> = {}
      for (const path of pages) {
        await page.goto(path)
        await expect(page.locator('main h1').first(), path).toBeVisible()
        const wrong = await page.evaluate(() => {
          const found: string[] = []
          const wide = innerWidth + 1
          if (document.documentElement.scrollWidth > wide) found.push('the page scrolls sideways')
          const within = (e: Element) => {
            for (let at = e.parentElement; at; at = at.parentElement)
              if (/auto|scroll|hidden/.test(getComputedStyle(at).overflowX) && at.tagName !== 'MAIN')
                return true
            return false
          }
          for (const e of document.querySelectorAll('main *')) {
            const box = e.getBoundingClientRect()
            if (box.width > 1 && box.right > wide && !within(e))
              found.push(`${e.tagName.toLowerCase()}.${e.className} reaches ${Math.round(box.right)}`)
          }
          // Only drawings and tables may scroll sideways, each by itself.
          for (const e of document.querySelectorAll('main *')) {
            if (
              e.matches('.drawing, .sideways, pre, input, textarea, .n-input *') ||
              e.closest('.n-base-selection')
            )
              continue
            const over =
              /auto|scroll/.test(getComputedStyle(e).overflowX) && e.scrollWidth > e.clientWidth + 1
            if (over) found.push(`${e.tagName.toLowerCase()}.${e.className} scrolls sideways`)
          }
          const main = document.querySelector('main')
          if (main && main.scrollWidth > main.clientWidth + 1)
            found.push('the page within its frame scrolls sideways')
          // What can be pressed must be met where it is, once it is scrolled to.
          for (const e of document.querySelectorAll<HTMLElement>(
            'main button, main a, main input, footer button',
          )) {
            if (!e.checkVisibility() || e.closest('.visually-hidden, .n-base-selection')) continue
            if (
              e.classList.contains('visually-hidden') ||
              e.matches('input[type=radio], input[type=checkbox]')
            )
              continue
            e.scrollIntoView({ block: 'center', inline: 'center' })
            const box = e.getBoundingClientRect()
            if (box.width < 2) continue
            const top = document.elementFromPoint(
              box.left + Math.min(box.width / 2, 40),
              box.top + box.height / 2,
            )
            if (top && top !== e && !e.contains(top) && !top.contains(e))
              found.push(
                `${e.tagName.toLowerCase()} “${e.textContent?.trim().slice(0, 30)}” lies under ${top.tagName.toLowerCase()}.${String(top.className).slice(0, 40)}`,
              )
          }
          return found.slice(0, 6)
        })
        if (wrong.length) all[path] = wrong
      }
      expect(all).toEqual({})
    })
