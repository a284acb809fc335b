import { expect, test, type Page } from '@playwright/test'

import { ownFilament, ownPrinter, startJob, verdict } from '../bench'

/* Not one click: keys only, from the bench to the report. */

async function tabTo(
  page: Page,
  name: string | RegExp,
  role: 'link' | 'button' | 'radio' | 'checkbox' | 'textbox' = 'link',
) {
  const wanted = page.getByRole(role, { name }).first()
  await expect(wanted).toBeVisible()
  for (let i = 0; i < 120; i += 1) {
    if (await wanted.evaluate((e) => e === document.activeElement)) return
    await page.keyboard.press('Tab')
  }
  throw new Error(`Tab never reached ${String(name)}`)
}

async function heading(page: Page, text: RegExp) {
  await expect(page.getByRole('heading', { level: 1, name: text })).toBeVisible()
  await expect(page.locator('[data-reading]:focus, [data-step]:focus')).toHaveCount(1)
}

/** Enter ticks a step and goes on; counts if it asks. */
async function check(page: Page, text: RegExp, counts = false) {
  await heading(page, text)
  const n = await page.getByRole('region', { name: 'Worktop' }).getByRole('checkbox').count()
  for (let i = 0; i < n; i += 1) await page.keyboard.press('Enter')
  if (counts) {
    for (let i = 0; i < 2; i += 1) {
      await page.keyboard.type('4')
      await page.keyboard.press('Enter')
    }
  }
  await expect(verdict(page)).toContainText('Pass')
  await page.keyboard.press('Control+Enter')
}

/** A printer that reports no settings: the reason, and on. */
async function reason(page: Page, text: RegExp) {
  await heading(page, text)
  await page.keyboard.type('no console on this printer')
  await expect(verdict(page)).toContainText('Pass')
  await page.keyboard.press('Control+Enter')
}

async function type(page: Page, values: string[]) {
  for (const value of values) {
    await page.keyboard.press('Control+A')
    await page.keyboard.type(value)
    await page.keyboard.press('Enter')
  }
}

test('a whole job by keyboard alone', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Poplar', { tram: 0.03, offset_z: -1.62 })
  await ownFilament(request, printer, 'PETG of Poplar')
  await page.goto('/')
  await tabTo(page, 'New job on Poplar')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { name: 'What was replaced on Poplar?' })).toBeVisible()
  await page.keyboard.press('d')
  await expect(page.getByRole('checkbox', { name: 'bed surface, replaced' })).toBeChecked()
  await page.keyboard.press('Control+Enter')

  await heading(page, /keep what it knows/)
  await page.keyboard.press('Control+Enter')
  await expect(verdict(page)).toContainText('Not settled yet. Do each step and tick it')
  await expect(page.locator('[data-step]:focus')).not.toBeChecked()
  await check(page, /keep what it knows/)
  await reason(page, /Read every stored setting/)
  await check(page, /Print the test piece/)
  await check(page, /Bed cold; plate flat/)
  await heading(page, /read the height at every screw/)
  await type(page, ['0.10', '0.11', '0,10', '0.11', '0.10'])
  await expect(verdict(page)).toContainText('Pass')
  await page.keyboard.press('Control+Enter')
  await heading(page, /measure each one/)
  await type(page, ['0.20', '0.20', '0.21', '0.20', '0.20'])
  await expect(verdict(page)).toContainText('Pass')
  await page.keyboard.press('Control+Enter')
  await check(page, /before you tune/)
  await heading(page, /run clean for/)
  await type(page, ['20.02', '20.02', '20.02', '20.01', '20.01', '20.01', '19.99', '19.99', '19.99'])
  // Enter has gone on to the pictures: a number takes one, Enter goes on to the questions.
  await expect(page.getByRole('radio', { name: '0 none' })).toBeFocused()
  await page.keyboard.press('0')
  await expect(page.getByRole('radio', { name: '0 none' })).toBeChecked()
  await page.keyboard.press('Enter')
  for (const [question, letter] of [
    ['Is the first layer even and whole?', 'y'],
    ['Are the walls even along the height?', 'y'],
    ['Did the drive click or grind?', 'n'],
    ['Did the complaint come back?', 'n'],
  ] as const) {
    const group = page.getByRole('group', { name: question })
    await expect(group.getByRole('radio').first()).toBeFocused()
    await page.keyboard.press(letter)
    await expect(group.getByRole('radio', { name: letter === 'y' ? 'yes' : 'no' })).toBeChecked()
    await page.keyboard.press('Enter')
  }
  await expect(page.getByRole('textbox', { name: 'Ran clean for' })).toBeFocused()
  await type(page, ['31'])
  await expect(verdict(page)).toContainText('Pass: accepted.')
  await page.keyboard.press('Control+Enter')
  await reason(page, /Switch the printer off and on/)
  await check(page, /Look it over once more/)
  await expect(page.getByRole('heading', { name: /Recalibration of Poplar/ })).toBeVisible()
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible()
  await page.keyboard.press('Escape')
  await page.keyboard.press('/')
  await expect(page.getByRole('textbox', { name: /Printer, job, customer/ })).toBeFocused()
  await page.keyboard.type('popl')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { level: 1, name: 'Poplar', exact: true })).toBeVisible()
  // Escape is the dialog's until it is gone.
  await expect(page.getByRole('dialog')).toHaveCount(0)
  await page.keyboard.press('Escape')
  await expect(page.getByRole('heading', { name: 'What to do now' })).toBeVisible()
})

test('a list reached by Tab is chosen from by typing, and its letters are not the page’s', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Osier', { drive: 100 })
  const job = await startJob(request, printer, ['extruder_motor'])
  await page.goto(`/jobs/${job}/drive`)
  await expect(page.locator('[data-reading]:focus')).toHaveCount(1)
  const list = page.getByRole('combobox', { name: /^Instrument: / })
  const there = () =>
    page.evaluate(() => document.activeElement?.querySelector('[role=combobox]')?.id === 'instrument')
  for (let i = 0; i < 40 && !(await there()); i += 1) await page.keyboard.press('Tab')
  // "l" would be the logbook.
  await page.keyboard.type('cal')
  await page.keyboard.press('Enter')
  await expect(list).toHaveAccessibleName(/caliper/)
  await expect(page).toHaveURL(new RegExp(`/jobs/${job}/drive$`))
})
