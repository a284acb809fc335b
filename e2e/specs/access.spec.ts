import AxeBuilder from '@axe-core/playwright'
import { expect, test } from '@playwright/test'

const pages = [
  ['bench', '/'],
  ['jobs', '/jobs'],
  ['new job, tube', '/jobs/new/4'],
  ['new job, direct', '/jobs/new/5'],
  ['closed station', '/jobs/1/offset_z'],
  ['printer', '/printers/2'],
  ['logbook', '/logbook'],
  ['house rules', '/rules'],
  ['report', '/jobs/1/report'],
  ['connected printer', '/printers/5/link'],
  ['printer not connected', '/printers/1/link'],
  ['heat logs', '/traces'],
  ['prints', '/prints'],
  ['a print', '/prints/2'],
  ['what is wrong, begun', '/wrong/new/1'],
  ['what is wrong, a check', '/wrong/2'],
  ['what is wrong, over', '/wrong/1'],
  ['heater loop', '/jobs/6/heater_loop'],
  ['settings compared', '/jobs/1/compare'],
] as const

for (const scheme of ['light', 'dark'] as const) {
  for (const [name, path] of pages) {
    test(`${name} has no accessibility violation in ${scheme}`, async ({ page }) => {
      const complaints: string[] = []
      page.on('console', (m) => {
        // A half-typed station is answered 422: that is how the page learns what is missing.
        if (m.type() === 'error' && !m.text().startsWith('Failed to load resource')) complaints.push(m.text())
      })
      await page.emulateMedia({ colorScheme: scheme, reducedMotion: 'reduce' })
      await page.goto(path)
      await expect(page.getByRole('heading', { level: 1 }).first()).toBeVisible()
      await expect(page.getByText(/Opening the/)).toHaveCount(0)
      const { violations } = await new AxeBuilder({ page })
        .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
        .analyze()
      expect(
        violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 200)).join(' | ')}`),
      ).toEqual([])
      // Nor does the content security policy complain.
      expect(complaints).toEqual([])
    })
  }
}
