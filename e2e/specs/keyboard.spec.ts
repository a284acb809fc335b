import { expect, test, type Page } from '@playwright/test'

import { close, ownFilament, ownPrinter, startJob, verdict } from '../bench'
import { tickOpen } from '../closings'

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

test('what happened to a job is noted from any field, wrong minutes are refused, and nothing typed is lost', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Azarole', { drive: 100 })
  const job = await startJob(request, printer, ['extruder_motor'])
  await page.goto(`/jobs/${job}/drive`)
  await expect(page.locator('[data-reading]:focus')).toHaveCount(1)
  await page.keyboard.press('Control+.')
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await expect(dialog.getByRole('radio', { name: 'one more part' })).toBeFocused()
  await page.keyboard.press('t')
  await expect(dialog.getByRole('radio', { name: 'the complaint came back' })).toBeChecked()
  await page.keyboard.press('Tab')
  await page.keyboard.type('5o')
  await page.keyboard.press('Tab')
  await page.keyboard.type('clicks again')
  await page.keyboard.press('Enter')
  await expect(dialog.getByRole('alert')).toContainText('“5o” is no number of minutes')
  await page.keyboard.press('Shift+Tab')
  await page.keyboard.press('Control+A')
  await page.keyboard.type('50')
  await page.keyboard.press('Tab')
  await expect(dialog.getByLabel('What was seen?')).toHaveValue('clicks again')
  await page.keyboard.press('Enter')
  await expect(dialog).toHaveCount(0)
  await expect(page.getByRole('list', { name: 'Stations of this job' })).toContainText('Find the cause')
})

/* What a technician presses besides the readings: ticks, Tab, lists, chords, one each. A reading or an answer, with the
   Enter that ends it, is what the job is for. */
function counted(page: Page) {
  let keys = 0
  const press = async (key: string) => {
    keys += 1
    await page.keyboard.press(key)
  }
  return {
    keys: () => keys,
    press,
    /** A reading, and the Enter that ends it. */
    async reading(value: string) {
      await page.keyboard.press('Control+A')
      await page.keyboard.type(value)
      await page.keyboard.press('Enter')
    },
    /** An answer: its letter, number or Space, and the Enter that goes on. */
    answer: (key: string) => page.keyboard.press(key),
    async close() {
      await expect(verdict(page)).toContainText('Pass')
      const at = page.url()
      await press('Control+Enter')
      await expect.poll(() => page.url()).not.toBe(at)
    },
  }
}

/** Works a whole job through by keyboard, from the bench to the report, and counts. */
async function counts(
  page: Page,
  printer: string,
  letter: string,
  readings: Record<string, readonly string[]>,
) {
  const hand = counted(page)
  await page.goto('/')
  await expect(page.getByRole('link', { name: `New job on ${printer}`, exact: true })).toBeVisible()
  await page.getByRole('link', { name: `New job on ${printer}`, exact: true }).focus()
  await hand.press('Enter')
  await expect(page.getByRole('heading', { name: `What was replaced on ${printer}?` })).toBeVisible()
  await hand.press(letter)
  await hand.press('Control+Enter')
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const worktop = page.getByRole('region', { name: 'Worktop' })
  for (let i = 0; i < 20; i += 1) {
    await expect(worktop.or(page.getByRole('article'))).toBeVisible()
    if (await page.getByRole('article').isVisible()) return hand.keys()
    const title = (await page.getByRole('heading', { level: 1 }).textContent()) ?? ''
    await expect(worktop.locator('[data-reading], [data-step]').first()).toBeVisible()
    const told = Object.entries(readings).find(([heading]) => title.includes(heading))
    if (told) {
      for (const value of told[1]) {
        if (value.startsWith('list ')) {
          const list = page.getByRole('combobox', { name: /^Instrument: / })
          const there = () => list.evaluate((e) => document.activeElement?.contains(e) ?? false)
          for (let n = 0; n < 12 && !(await there()); n += 1) await hand.press('Shift+Tab')
          for (let n = 0; n < 30 && !(await there()); n += 1) await hand.press('Tab')
          await page.keyboard.type(value.slice(5))
          await hand.press('Enter')
        } else if (value.startsWith('to ')) {
          const field = worktop.getByLabel(value.slice(3), { exact: true })
          const there = () => field.evaluate((e) => e === document.activeElement)
          for (let n = 0; n < 20 && !(await there()); n += 1) await hand.press('Tab')
        } else if (value.startsWith('key ')) await hand.answer(value.slice(4))
        else await hand.reading(value)
      }
    } else {
      const steps = worktop.getByRole('checkbox')
      await expect(steps.first()).toBeVisible()
      await expect(page.locator('[data-step]').first()).toBeFocused()
      for (let n = await steps.count(); n > 0; n -= 1) await hand.press('Enter')
      if (await page.getByLabel('Pieces taken out').isVisible()) {
        await hand.reading('3')
        await hand.reading('3')
      }
    }
    await hand.close()
  }
  throw new Error('the job never ended')
}

const cube = ['20.02', '20.02', '20.02', '20.01', '20.01', '20.01', '19.99', '19.99', '19.99']
const answers = [
  'key 0',
  'key Enter',
  'key y',
  'key Enter',
  'key y',
  'key Enter',
  'key n',
  'key Enter',
  'key n',
  'key Enter',
]
const ending = {
  'run clean for': [...cube, ...answers, '31'],
  'Switch the printer off and on': ['no console'],
}

const settings = { 'Read every stored setting': ['no console'] }
const tight = {
  'Tighten the nozzle': ['230', '', '2', 'key y', 'key Enter', 'key y', 'key Enter', 'key n', 'key Enter'],
}
/* Five bands, all alike: the one in force stays. A filled field is passed by Enter. */
const band = ['4', '4', '4', '4', '']
const searches = {
  'Print a tower': [...band, ...band, ...band, ...band, '4', '4', '4', '4'],
  'Print two posts': ['150', '0', '0', '0'],
  /* 200 mm of PETG are 0.611 g: all of it comes, up to 12 mm³/s. */
  'Feed the same length': ['0.611', '', '0.612', '', '0.610', '', '0.611', '', '0.612'],
  /* Twenty-one lines in order: the eleventh has what is in force. */
  'Print the lines': ['11', '11', 'to Key', '0'],
}
const patches = { 'measure each one': ['0.20', '0.20', '0.21', '0.20', '0.20'] }
const tube = { 'Measure the old tube': ['415'] }
const walls = {
  wall: ['0.45', '0.452', '0.45', '0.452', '0.45', '0.452', '0.45', '0.452', 'list micro'],
}

for (const [what, letter, printer, most, readings] of [
  ['a nozzle of the same bore', 'n', 'Quince', 60, { ...tight, ...patches, ...walls }],
  ['a filament cutter', 'c', 'Service', 30, {}],
  ['a tube', 't', 'Sumac', 60, { ...tube, ...tight, ...patches, ...walls }],
] as const)
  test(`${what} takes at most ${most} keys besides readings, no mouse`, async ({ page, request }) => {
    const id = await ownPrinter(request, printer, { offset_z: -1.62 })
    await ownFilament(request, id, `PETG of ${printer}`)
    const keys = await counts(page, printer, letter, { ...settings, ...searches, ...readings, ...ending })
    test.info().annotations.push({ type: 'keys', description: String(keys) })
    expect(keys).toBeLessThanOrEqual(most)
  })

test('a key meant for a dialog leaves the station behind it alone, and a failed step’s reason takes the hand', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Bulrush')
  const job = await startJob(request, printer, ['nozzle_same'])
  await page.goto(`/jobs/${job}/intake`)
  const steps = page.getByRole('region', { name: 'Worktop' }).getByRole('checkbox')
  await expect(steps.first()).toBeFocused()
  const n = await steps.count()
  for (let i = 0; i < n; i += 1) await page.keyboard.press('Enter')
  await expect(verdict(page)).toContainText('Pass')
  // The station could be closed: what is sent is what the dialog asks.
  await page.keyboard.press('Control+.')
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await expect(dialog.getByRole('radio', { name: 'one more part' })).toBeFocused()
  await page.keyboard.press('Enter')
  await page.keyboard.type('heater b')
  await page.keyboard.press('Enter')
  await expect(dialog.getByLabel('Why is it replaced?')).toBeFocused()
  await page.keyboard.type('its thread is cut crossed')
  await page.keyboard.press('Control+Enter')
  await expect(dialog).toHaveCount(0)
  const closings = await request.get(`/api/v1/jobs/${job}/closings`)
  expect(await closings.json()).toEqual([])
  // A step that failed asks why at once, and letters are its reason, not keys of pages.
  await page.goto(`/jobs/${job}/intake`)
  await expect(steps.first()).toBeVisible()
  await steps.nth(1).focus()
  await page.keyboard.press('Space')
  await tabTo(page, 'Step 2 failed', 'button')
  await page.keyboard.press('Enter')
  await expect(page.getByLabel('What failed?')).toBeFocused()
  await page.keyboard.type('the lens is broken')
  await expect(verdict(page)).toContainText('Stop: the lens is broken')
  // Recorded, mended and closed: the report says that it was.
  await close(page, /Record the stop/)
  await expect.poll(async () => (await request.get(`/api/v1/jobs/${job}/closings`)).json()).toHaveLength(1)
  await page.goto(`/jobs/${job}/intake`)
  await tickOpen(page)
  await page.goto(`/jobs/${job}/report`)
  const report = page.getByRole('article')
  await expect(report.getByRole('heading', { name: 'Stopped on the way' })).toBeVisible()
  await expect(report).toContainText(/Intake: .*the lens is broken/)
})
