import { expect, test } from '@playwright/test'

import { ownPrinter, startJob, verdict } from '../bench'

/* Figures, told and not judged: a shared machine is noisy. What is judged is that the answer comes at all. */

const quantile = (all: number[], q: number) =>
  [...all].sort((a, b) => a - b)[Math.floor((all.length - 1) * q)] ?? 0

test('how long a page and a verdict take is told', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Laburnum', { drive: 100 })
  const job = await startJob(request, printer, ['extruder_motor'])
  await page.goto('/')
  await expect(page.getByRole('heading', { name: 'What to do now' })).toBeVisible()
  const routes: number[] = []
  for (let i = 0; i < 5; i += 1)
    for (const [link, heading] of [
      ['Jobs', 'Jobs'],
      ['Logbook', 'Logbook'],
      ['House rules', 'House rules'],
      ['Heat logs', 'Drop a temperature log'],
    ] as const) {
      const took = await page.evaluate(
        ([name, wanted]) =>
          new Promise<number>((done) => {
            const anchor = [...document.querySelectorAll('nav a')].find((a) => a.textContent?.trim() === name)
            const begun = performance.now()
            const look = () => {
              if (document.querySelector('main h1')?.textContent?.trim().startsWith(wanted))
                requestAnimationFrame(() => done(performance.now() - begun))
              else requestAnimationFrame(look)
            }
            ;(anchor as HTMLElement).click()
            look()
          }),
        [link, heading] as const,
      )
      routes.push(took)
    }
  await page.goto(`/jobs/${job}/drive`)
  await page.getByLabel('Run 1, left over').fill('20')
  await page.getByLabel('Run 2, left over').fill('22')
  await expect(verdict(page)).toContainText('fed')
  const typed: number[] = []
  for (let i = 0; i < 40; i += 1) {
    const took = await page.evaluate(
      (value) =>
        new Promise<number>((done) => {
          const field = document.querySelectorAll<HTMLInputElement>('[data-reading]')
          const run = [...field].find((f) => f.labels?.[0]?.textContent?.trim() === 'Run 1, left over')
          const says = () => document.querySelector('[aria-label=Verdict]')?.textContent
          if (!run) return done(Number.NaN)
          const before = says()
          const begun = performance.now()
          const look = () => {
            const took = performance.now() - begun
            if (says() !== before) done(took)
            else if (took > 5000) done(Number.NaN)
            else requestAnimationFrame(look)
          }
          requestAnimationFrame(look)
          run.value = value
          run.dispatchEvent(new Event('input', { bubbles: true }))
        }),
      String(20.3 + (i % 2) * 8 + i / 10),
    )
    typed.push(took)
  }
  const tell = (name: string, all: number[]) =>
    `${name}: median ${quantile(all, 0.5).toFixed(0)} ms, 95 % ${quantile(all, 0.95).toFixed(0)} ms`
  console.log(`${tell('route changes', routes)}; ${tell('typing to verdict', typed)} (aims 100 ms)`)
  expect(routes.every(Number.isFinite) && typed.every(Number.isFinite)).toBe(true)
})
