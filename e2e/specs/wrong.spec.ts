import { expect, test, type Page } from '@playwright/test'

import { ownPrinter, pick, startJob } from '../bench'
import { OwnServer } from '../server'

/* What is wrong with it? From the customer's sentence to the cause, with machines of the tests' own. */

/** A machine as its technician finds it: what is so of it; everything else isn't. */
interface Machine {
  /** Questions that are answered with yes. */
  so?: RegExp[]
  /** Answers to choose where one of several is asked for. */
  shows?: RegExp[]
  /** Readings by their question. */
  reads?: [RegExp, string][]
  /** What mends it. */
  mends?: RegExp
}

const work = (page: Page) => page.getByRole('region', { name: 'What to do now' })
const heading = (page: Page) => page.getByRole('heading', { level: 1 })

/** Begins a case with a sentence and agrees to all that it may mean. */
async function begin(page: Page, printer: number, sentence: string) {
  await page.goto(`/wrong/new/${printer}`)
  await page.getByLabel('What they say; may be blank').fill(sentence)
  await page.getByRole('button', { name: /Look for the cause/ }).click()
  await expect(page).toHaveURL(/\/wrong\/\d+$/)
  if (sentence) {
    await expect(heading(page)).toHaveText('Is it so?')
    await page.getByRole('button', { name: 'All of it is so' }).click()
    await expect(heading(page)).not.toHaveText('Is it so?')
  } else await expect(work(page)).toBeVisible()
}

/** Does what is proposed until the cause stands there, or nothing is left; the headings of what was done. */
async function follow(page: Page, machine: Machine, most = 60): Promise<string[]> {
  const done: string[] = []
  for (let i = 0; i < most; i++) {
    await expect(heading(page)).toHaveCount(1)
    const now = (await heading(page).textContent()) ?? ''
    if (/^(It is the|Nothing found)/.test(now)) return done
    if (done.at(-1) !== now) done.push(now)
    const region = work(page)
    const reading = region.getByLabel(/^Reading in/)
    const firstYes = region.getByRole('button', { name: /^Yes: / }).first()
    if (await region.getByRole('button', { name: /It helped/ }).isVisible()) {
      const helps = machine.mends?.test(now) ?? false
      await region.getByRole('button', { name: helps ? /It helped/ : /No help/ }).click()
      await expect(heading(page)).not.toHaveText(now)
    } else if (await region.getByText('What do you see?').isVisible()) {
      const choices = region.getByRole('group', { name: 'What do you see?' }).getByRole('button')
      const names = await choices.allTextContents()
      const fits = names.findIndex((n) => machine.shows?.some((s) => s.test(n)))
      await choices.nth(fits >= 0 ? fits : names.length - 2).click()
      await expect(heading(page)).not.toHaveText(now)
    } else if ((await reading.count()) > 0) {
      const asks = (await region.getByRole('group').first().textContent()) ?? ''
      const value = machine.reads?.find(([q]) => q.test(asks))?.[1]
      if (value) {
        await reading.fill(value)
        await reading.press('Enter')
      } else await region.getByRole('button', { name: 'Can’t tell' }).first().click()
      await expect(heading(page)).not.toHaveText(now)
    } else {
      const question = ((await firstYes.getAttribute('aria-label')) ?? '').slice(5)
      const so = machine.so?.some((s) => s.test(question)) ?? false
      await region.getByRole('button', { name: `${so ? 'Yes' : 'No'}: ${question}` }).click()
      await expect(region.getByRole('button', { name: `Yes: ${question}` })).toHaveCount(0)
    }
  }
  throw new Error(`it never ends: ${done.join(' / ')}`)
}

/** What one test proves must not move what another one's machine is believed to have. */
const doesNotCount = (page: Page) => page.getByRole('checkbox', { name: /This case counts/ }).uncheck()
const evidence = (page: Page) => page.getByRole('complementary', { name: 'Evidence' })

test('good for half a print, back after a new nozzle: the coupler, in three checks at most, and its sisters', async ({
  page,
  request,
}) => {
  const ebony = await ownPrinter(request, 'Ebony')
  await begin(
    page,
    ebony,
    'Prints well at first, then halfway through the print it goes thin. A new nozzle helped for a day.',
  )
  await expect(evidence(page)).toContainText('a new nozzle helped for a while: yes')
  const done = await follow(page, { reads: [[/tube move/, '0,8']] })
  expect(done.length).toBeLessThanOrEqual(3)
  expect(done).toContain('Pull and push the tube at each coupler.')
  await expect(heading(page)).toHaveText('It is the coupler that doesn’t hold.')
  await expect(page.getByText('Alike in this shop:')).toContainText(/Alder.*Rowan/)
  await page.getByLabel('PETG, green').check()
  await doesNotCount(page)
  await page.getByRole('button', { name: 'Open the job for it' }).click()
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const route = page.getByRole('list', { name: 'Stations of this job' })
  await expect(route).toContainText('hot-end coupler')
  await expect(page.getByRole('complementary', { name: 'Traveller' })).toContainText(
    'halfway through the print',
  )
})

test('a nozzle that reads 0 while the bed reads the room: the plug before the sensor, cold, and never the loop', async ({
  page,
  request,
}) => {
  const cinnamon = await ownPrinter(request, 'Cinnamon')
  await begin(page, cinnamon, 'The display reads 0 for the nozzle, the bed is right, and it will not heat.')
  await expect(heading(page)).toHaveText('Unplugged: pull gently at each wire, look into the plugs.')
  await expect(work(page).getByRole('note')).toContainText('Mains plug out, and cold')
  const done = await follow(page, { so: [/circuit open or short/] })
  expect(done.slice(0, 2)).toEqual([
    'Unplugged: pull gently at each wire, look into the plugs.',
    'Unplugged and cold: measure the sensor’s ohms.',
  ])
  expect(done.filter((d) => /loop|Hold the print|Watch it heat/.test(d))).toEqual([])
  await expect(heading(page)).toHaveText('It is the open or shorted sensor.')
})

test('a clog in the morning with debris in the fan: the fan, a mild release of the plug, and no open flame', async ({
  page,
  request,
}) => {
  const rowan = await ownPrinter(request, 'Service tree')
  await begin(page, rowan, 'Nothing comes out in the morning. It stops after half an hour of printing.')
  const done = await follow(page, {
    so: [/debris in the blades/, /dead, blocked, or blowing away/, /Does the drive click/],
    reads: [[/heat sink/, '78']],
  })
  expect(done).toContain('Look at the hot-end fan, and feel where it blows.')
  await expect(heading(page)).toHaveText('It is the heat creep, by the hot-end fan.')
  expect(done.filter((d) => /Strip|Fit a/.test(d))).toEqual([])
  await page.getByText('Clog, mildest first').click()
  await expect(page.getByText('No open flame')).toBeVisible()
  const rungs = await page
    .getByRole('button', { name: /^Do this rung/ })
    .evaluateAll((all) => all.map((b) => b.getAttribute('aria-label') ?? ''))
  const at = (what: RegExp) => rungs.findIndex((r) => what.test(r))
  expect(at(/Hot-end fan off, attended/)).toBeGreaterThanOrEqual(0)
  expect(at(/Hot-end fan off, attended/)).toBeLessThan(at(/Strip the hot end/))
})

test('a blob with a dead sensor: nothing heats by the printer, and what was spliced stays on record', async ({
  page,
  request,
}) => {
  const yew = await ownPrinter(request, 'Bald cypress')
  const job = await startJob(request, yew, ['silicone_sock'])
  await begin(
    page,
    yew,
    'The part came off the plate and there is a big blob all around the hot end. It reads 0.',
  )
  const done = await follow(page, { so: [/wrapped around the hot end/], mends: /complete hot end|hot air/ })
  await expect(heading(page)).toHaveText('It is the blob around the hot end.')
  expect(done.filter((d) => /Feed|own heat|Heat|hot\.$/.test(d) && !/hot air/.test(d))).toEqual([])
  await page.getByText('Blob around the hot end', { exact: true }).click()
  await expect(page.getByText('no heat from the printer at all')).toBeVisible()
  await doesNotCount(page)
  await page.getByRole('button', { name: `Put it on job ${job}` }).click()
  await page.getByRole('button', { name: 'Something happened …' }).click()
  await page.getByText('something was changed').click()
  await page.getByText('until it is put right').click()
  await page.getByLabel('What was changed, e.g. sensor type, covers').fill('sensor wire')
  await page.getByLabel('How it is now').fill('spliced')
  await page.getByLabel('Why?').fill('the blob took its plug')
  await page.getByRole('button', { name: 'Note it' }).click()
  await expect(page.getByRole('complementary', { name: 'Traveller' })).toContainText('Altered: sensor wire')
})

test('thin since the drive was swapped: the steps, and the drive station is on the job', async ({
  page,
  request,
}) => {
  const coconut = await ownPrinter(request, 'Coconut')
  const job = await startJob(request, coconut, ['extruder_motor'])
  await page.goto(`/jobs/${job}`)
  await page.getByRole('button', { name: 'What is wrong with it?' }).click()
  await expect(evidence(page)).toContainText('extruder motor')
  await evidence(page).getByRole('button', { name: 'Say what you saw …' }).click()
  await pick(page, 'What: type a word of it', 'so since a part was swapped')
  await page.getByRole('button', { name: 'Take it' }).click()
  await expect(evidence(page)).toContainText('so since a part was swapped: yes')
  await follow(page, {
    so: [/Are lines thin/, /by one factor/, /same factor, slow and fast/],
    shows: [/shows at once/],
  })
  await expect(heading(page)).toHaveText('It is the wrong steps or ratio.')
  await doesNotCount(page)
  await page.getByRole('button', { name: `Put it on job ${job}` }).click()
  await expect(page.getByRole('list', { name: 'Stations of this job' })).toContainText('Drive')
  // The customer's paper says what it was.
  await page.goto(`/jobs/${job}/report`)
  await expect(page.getByRole('article')).toContainText(/Cause found\s*wrong steps or ratio, case \d+/)
})

test('hiss and fuzz is water in the filament, and ends without a job', async ({ page, request }) => {
  const nutmeg = await ownPrinter(request, 'Nutmeg')
  await begin(page, nutmeg, 'It hisses while it prints and the walls are fuzzy, hairs everywhere.')
  const done = await follow(page, { so: [/hiss or bubble/, /another spool/] })
  expect(done.length).toBeLessThanOrEqual(4)
  await expect(heading(page)).toHaveText('It is the wet filament.')
  await doesNotCount(page)
  await page.getByRole('button', { name: 'End the case: it is mended' }).click()
  await expect(heading(page)).toHaveText('It was the wet filament.')
})

test('only the first layer: Z, and a check-up job with that value', async ({ page, request }) => {
  const holm = await ownPrinter(request, 'Holm oak')
  await begin(page, holm, 'Only the first layer is bad. It scrapes over the bed.')
  await follow(page, {
    so: [/thicker or thinner than set/, /ridges, or drag/],
    shows: [/shows at once/],
    mends: /Set Z/,
  })
  await expect(heading(page)).toHaveText('It is the nozzle too near or too far.')
  await doesNotCount(page)
  await page.getByRole('button', { name: 'Open the job for it' }).click()
  await expect(page.getByRole('list', { name: 'Stations of this job' })).toContainText('Z offset')
})

test('an alarm with a reading that falls by tens of degrees within a second: the wire, and no tuning', async ({
  page,
  request,
}) => {
  const aspen = await ownPrinter(request, 'White poplar')
  await begin(
    page,
    aspen,
    'Alarm in the middle of a print, the reading drops by forty degrees within a second.',
  )
  const done = await follow(page, { so: [/while the head is moved/, /Does the reading jump/] })
  expect(done.filter((d) => /Tune/.test(d))).toEqual([])
  await expect(heading(page)).toHaveText('It is the sensor wire that is breaking.')
})

test('it clicks and the filament stops after a few centimetres: the cutter', async ({ page, request }) => {
  const durian = await ownPrinter(request, 'Durian')
  await begin(page, durian, 'It clicks, and the filament stops after a few centimetres.')
  await follow(page, {
    so: [/lever stay pressed/, /Won’t it load/],
    shows: [/shows at once/],
    mends: /Free the cutter/,
  })
  await expect(heading(page)).toHaveText('It is the cutter that is stuck.')
})

test('two faults at once are said, and each can be mended', async ({ page, request }) => {
  const bamboo = await ownPrinter(request, 'Bamboo')
  await begin(page, bamboo, '')
  for (const what of [
    'hiss or steam, fuzzy walls',
    'hiss or bubbles at 100 mm of feed',
    'strings and blobs',
    'waves beside corners, or shifted layers',
    'an axis has play',
    'rattles when it moves',
  ]) {
    await evidence(page).getByRole('button', { name: 'Say what you saw …' }).click()
    await pick(page, 'What: type a word of it', what)
    await page.getByRole('button', { name: 'Take it' }).click()
    await expect(evidence(page)).toContainText(`${what}: yes`)
  }
  const causes = page.getByRole('complementary', { name: 'Causes' })
  await expect(causes).toContainText(/Likelier both: (wet filament and belt|belt, wheel or idler and wet)/)
  // Evidence can be taken back, and the answer follows.
  await evidence(page).getByRole('button', { name: 'Take back: an axis has play' }).click()
  await evidence(page)
    .getByRole('button', { name: 'Take back: waves beside corners, or shifted layers' })
    .click()
  await evidence(page).getByRole('button', { name: 'Take back: rattles when it moves' }).click()
  await expect(causes.getByRole('region', { name: 'Two at once' })).toBeHidden()
  await expect(causes).not.toContainText('Likelier both')
})

test('nothing wrong: nothing found, what was ruled out is said, and the bench asks again on its day', async ({
  page,
  request,
}) => {
  test.slow()
  const clove = await ownPrinter(request, 'Clove')
  await begin(page, clove, '')
  const done = await follow(
    page,
    {
      reads: [
        [/tube move/, '0.1'],
        [/heat sink/, '41'],
      ],
    },
    120,
  )
  expect(done.filter((d) => /Fit a|Strip/.test(d))).toEqual([])
  await expect(heading(page)).toHaveText('Nothing found. Nothing more here is worth doing.')
  const end = page.getByRole('region', { name: 'What came of it' })
  expect(await end.getByRole('listitem').count()).toBeGreaterThan(15)
  const pack = page.waitForEvent('download')
  await end.getByRole('link', { name: 'Help pack (zip)' }).click()
  expect((await pack).suggestedFilename()).toMatch(/^case-\d+\.zip$/)
  await end.getByLabel('Ask again on, like 2026-12-03').fill('2020-02-02')
  await end.getByRole('button', { name: 'Keep the day' }).click()
  await end.getByRole('button', { name: 'End it: nothing found' }).click()
  await expect(heading(page)).toHaveText('Nothing was found.')
  await page.goto('/')
  await expect(page.getByRole('list', { name: 'To be asked about again' })).toContainText('Ask today: Clove')
})

test('a clog is cleared rung by rung, the mildest first, until one helps', async ({ page, request }) => {
  const sorb = await ownPrinter(request, 'Sorb')
  await begin(page, sorb, 'Nothing comes out, right from the start, and it clicks.')
  const done = await follow(page, {
    so: [/Does the drive click/],
    shows: [/free feed: nothing/, /shows at once/],
    mends: /needle/,
  })
  await expect(heading(page)).toHaveText('It is the clogged nozzle.')
  const rungs = done.filter((d) => /push by hand|needle|pull it out|Strip|new nozzle/.test(d))
  expect(rungs).toEqual([
    'Heat 20 °C higher, not above the ceiling, and push by hand.',
    'Push a needle up the bore, hot.',
  ])
  await expect(page.getByRole('region', { name: 'The cause' })).toContainText(
    'Push a needle up the bore, hot. It helped.',
  )
  await expect(evidence(page)).toContainText('no help')
  await doesNotCount(page)
  await page.getByRole('button', { name: 'End the case: it is mended' }).click()
  await expect(heading(page)).toHaveText('It was the clogged nozzle.')
})

test('what is proven beforehand is done now from its list, the mildest rung first', async ({
  page,
  request,
}) => {
  const sloe = await ownPrinter(request, 'Sloe')
  await begin(page, sloe, '')
  const made = await request.get('/api/v1/cases')
  const all = (await made.json()) as { watched: { id: number; printer_id: number }[] }
  const id = all.watched.find((c) => c.printer_id === sloe)?.id ?? 0
  const seen = (observation: string, answer: string) => ({ entry: 'seen', observation, answer })
  await request.post(`/api/v1/cases/${id}/entries`, {
    data: {
      entries: [
        ...['nothing_comes', 'at_once', 'free_feed_nothing', 'clicks'].map((o) => seen(o, 'yes')),
        ...['fan_wrong', 'slips_fast', 'clicks_in_air', 'tube_brown', 'tube_clump'].map((o) => seen(o, 'no')),
      ],
    },
  })
  await page.reload()
  await expect(heading(page)).toHaveText('It is the clogged nozzle.')
  await page.getByRole('button', { name: 'Do it now' }).click()
  await expect(heading(page)).toHaveText('Heat 20 °C higher, not above the ceiling, and push by hand.')
  await work(page)
    .getByRole('button', { name: /No help/ })
    .click()
  await page.getByRole('button', { name: 'Do it now' }).click()
  await expect(heading(page)).toHaveText('Push a needle up the bore, hot.')
})

test('a stopped station leads to its cause with what it has shown', async ({ page }) => {
  await page.goto('/jobs/2/drive')
  await page
    .getByRole('region', { name: 'Verdict' })
    .getByRole('button', { name: 'Case 2: what is wrong?' })
    .click()
  await expect(page).toHaveURL(/\/wrong\/2$/)
  await expect(evidence(page)).toContainText('from the station')
})

test('by keys alone: a number of an answer gives it, and what is typed wrong stays and is said', async ({
  page,
  request,
}) => {
  const fuchsia = await ownPrinter(request, 'Fuchsia')
  await page.goto(`/wrong/new/${fuchsia}`)
  await page.getByLabel('What they say; may be blank').press('Control+Enter')
  await expect(page).toHaveURL(/\/wrong\/\d+$/)
  // Of four answers at most one: the fifth is none of them, the sixth that nobody knows.
  await expect(heading(page)).toHaveText('Ask when in a print it shows.')
  await page.keyboard.press('6')
  await expect(heading(page)).not.toHaveText('Ask when in a print it shows.')
  const question = await work(page)
    .getByRole('button', { name: /^Yes: / })
    .first()
    .getAttribute('aria-label')
  await page.keyboard.press('2')
  await expect(evidence(page).getByText('Looked at, and not so')).toBeVisible()
  await expect(work(page).getByRole('button', { name: question ?? '', exact: true })).toHaveCount(0)
  // A number that can't be meant.
  await page.getByRole('button', { name: /do another/ }).click()
  await pick(page, 'Do this one now', 'Pull and push the tube')
  await page.getByRole('button', { name: 'Do it', exact: true }).click()
  const reading = work(page).getByLabel('Reading in mm')
  // The hand is in the field once the dialog is gone.
  await expect(reading).toBeFocused()
  await reading.fill('a bit')
  await reading.press('Enter')
  await expect(work(page).getByRole('alert')).toContainText('“a bit” is no number')
  await expect(reading).toHaveValue('a bit')
  // Passed over from the dialog by Enter: it closes for good, and the hand is on the page.
  await page.getByRole('button', { name: /do another/ }).press('Enter')
  const why = page.getByLabel(/can’t be done here/)
  await why.fill('no light to see by')
  await why.press('Enter')
  await expect(page.getByRole('dialog')).toHaveCount(0)
  await expect(evidence(page)).toContainText('no light to see by')
  await expect(page.getByRole('dialog')).toHaveCount(0)
  // After an answer the next Tab is on the check, not at the top of the page.
  const told = page.waitForResponse((r) => r.url().endsWith('/entries'))
  await work(page)
    .getByRole('button', { name: /^Can’t tell/ })
    .first()
    .press('Enter')
  await told
  await expect.poll(() => page.evaluate(() => document.activeElement?.closest('main') !== null)).toBe(true)
  await page.keyboard.press('Tab')
  expect(await page.evaluate(() => document.activeElement?.closest('main') !== null)).toBe(true)
})

test('on a phone the check comes first, and causes and evidence are behind a tap', async ({
  page,
  request,
}) => {
  await page.setViewportSize({ width: 390, height: 844 })
  await begin(page, await ownPrinter(request, 'Dwarf birch'), '')
  await expect(work(page)).toBeVisible()
  await expect(page.getByRole('complementary', { name: 'Causes' })).toHaveCount(0)
  await page.getByText('What it may be', { exact: false }).first().click()
  await expect(page.getByRole('region', { name: 'What it may be' })).toBeVisible()
})

test('the connected printer does what it can of a check: it logs while the head is moved, says its limit, and feeds only hot', async ({
  page,
}) => {
  test.slow()
  const server = new OwnServer(['demo'])
  try {
    const url = await server.start()
    const make = await page.request.post(`${url}/api/v1/cases`, {
      data: { printer_id: 4 },
    })
    const { id } = (await make.json()) as { id: number }
    await page.goto(`${url}/wrong/${id}`)
    const instead = async (what: string) => {
      await page.getByRole('button', { name: /do another/ }).click()
      await pick(page, 'Do this one now', what)
      await page.getByRole('button', { name: 'Do it', exact: true }).click()
      // A dialog gives the hand back when it is gone.
      await expect(page.getByRole('dialog')).toHaveCount(0)
    }
    // Cold, the guard of the link refuses to feed, and the page says so.
    await instead('Feed 30 mm into free air')
    await page.getByRole('button', { name: 'Feed 30 mm' }).click()
    await expect(page.getByRole('alert')).toContainText(/cold|warm|°C/)
    // Hazel's sensor wire is breaking.
    await instead('Watch the reading while the head')
    await page.getByRole('button', { name: /Warm it, then move the head/ }).press('Enter')
    await expect(page.getByRole('group', { name: 'Running on the printer' })).toBeVisible()
    // The button that was pressed is gone; the hand stays with the check.
    await expect(page.getByRole('group', { name: 'The printer does it' })).toBeFocused()
    await page
      .getByRole('button', { name: 'The head was moved: take what the log shows' })
      .click({ timeout: 120_000 })
    await expect(evidence(page)).toContainText('from the printer')
    await expect(evidence(page)).toContainText('reading jumps when the head is moved: yes')
    // Its sensor is new: plug or wire, and never the loop.
    const causes = page.getByRole('region', { name: 'What it may be' })
    await expect(causes).toContainText('sensor wire that is breaking')
    await expect(causes).toContainText('plug or pin that isn’t seated')
    await expect(causes).not.toContainText('heater loop that isn’t tuned')
  } finally {
    await server.kill()
  }
})

test('a nozzle that the customer swapped: what the cause leaves unexplained is said, and its own job is the way out', async ({
  page,
  request,
}) => {
  test.slow()
  const teasel = await ownPrinter(request, 'Teasel')
  const told = 'I changed the nozzle on sunday. Now there are strings everywhere and the walls look thin.'
  await begin(page, teasel, told)
  await expect(evidence(page)).toContainText('so since a part was swapped: yes')
  await follow(page, {
    so: [/since a part was swapped/, /thin, or with gaps/, /strings and blobs/],
    shows: [/shows at once/, /curls/],
    mends: /Push a needle up the bore/,
  })
  const cause = page.getByRole('region', { name: 'The cause' })
  await expect(cause).toContainText('It is the partly clogged nozzle.')
  await expect(cause).toContainText(/It doesn’t explain: .*strings and blobs/)
  await doesNotCount(page)
  await page.getByRole('button', { name: 'End the case: it is mended' }).click()
  await expect(page.getByText('This case is over')).toBeVisible()
  await page.getByRole('link', { name: 'Begin the job for the swapped part' }).click()
  await expect(page.getByLabel('Complaint, in the customer’s words')).toHaveValue(told)
})

test('a proven cause whose complaint is back is said with one press on the next case of its job', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Meadowsweet')
  const made = async (path: string, data: object) =>
    (await (await request.post(`/api/v1/${path}`, { data })).json()) as { id: number; job: number }
  const seen = (observation: string) => ({ entry: 'seen', observation, answer: 'yes' })
  const first = await made('cases', { printer_id: printer, sentence: 'The temperature jumps about.' })
  await made(`cases/${first.id}/entries`, { entries: [seen('jumps'), seen('jumps_when_moved')] })
  await made(`cases/${first.id}/end`, { how: 'proven', cause: 'wire_breaking', by: 'sensor', job: true })
  const second = await made('cases', { printer_id: printer, sentence: 'The temperature jumps about.' })
  await page.goto(`/wrong/${second.id}`)
  const before = page.getByRole('region', { name: 'Found on this job before' })
  await expect(before).toContainText(`Case ${first.id}: sensor wire that is breaking.`)
  await before.getByRole('button', { name: 'It is that complaint again' }).click()
  await expect(before).toContainText('It came back.')
  await expect(before.getByRole('button')).toHaveCount(0)
  // The printed page doesn't call it the cause any more.
  await page.getByRole('link', { name: /to job \d+/ }).click()
  await page.getByRole('link', { name: 'Report', exact: true }).click()
  const report = page.getByRole('article')
  await expect(report).toContainText(`Taken forsensor wire that is breaking, case ${first.id}; it came back`)
  await expect(report).not.toContainText('Cause found')
})
