import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

import { expect, test, type Page } from '@playwright/test'

import { close, fillAll, ownFilament, ownPrinter, pick, startJob, station, verdict } from '../bench'
import { accept, foundAt, heldAndTight, tickAll, workTo } from '../closings'
import { OwnServer, OwnTwin } from '../server'

/* A hundred times as fast as the wall clock: an autotune is seconds, its physics are the same. */
const FAST = ['--speed', '60']
const memory = () => ['--memory', join(mkdtempSync(join(tmpdir(), 'twin-')), 'memory.json')]
const strip = (page: Page) => page.getByRole('contentinfo', { name: 'Heat of connected printers' })
const on = (page: Page, name: string) =>
  strip(page).getByRole('list', { name: 'Heaters' }).getByRole('listitem', { name, exact: true })
/* Words stand in the tile, or below all tiles where there are many. */
const says = (page: Page) => strip(page)

/* Other tests' pages show the same strip: what was connected is let go. */
let connected: number[] = []
test.afterEach(async ({ request }) => {
  for (const id of connected) await request.delete(`/api/v1/printers/${id}/link`, { maxRetries: 2 })
  connected = []
})

async function connect(page: Page, printer: number, name: string, host: string) {
  connected.push(printer)
  await page.goto(`/printers/${printer}/link`)
  await page.getByRole('button', { name: 'Connect' }).click()
  const dialog = page.getByRole('dialog', { name: `Connect ${name}` })
  await dialog.getByRole('radio', { name: 'over the network' }).check()
  await expect(dialog.getByText('Stay with the printer')).toBeVisible()
  await dialog.getByLabel('Host and port').fill(host)
  await dialog.getByRole('button', { name: 'Connect' }).click()
  await expect(dialog).toBeHidden()
  await expect(on(page, name)).toContainText('SAFE')
}

test('a hot-end job on a connected printer: snapshot to a stored and verified loop that outlives a power cycle', async ({
  page,
  request,
}) => {
  const twin = new OwnTwin(...FAST, '--seed', '3', ...memory())
  await twin.on()
  try {
    const printer = await ownPrinter(request, 'Birch')
    const filament = await ownFilament(request, printer, 'PETG of Birch')
    const job = await startJob(request, printer, ['heater_cartridge'], [filament])
    await connect(page, printer, 'Birch', twin.host)
    await page.goto(`/jobs/${job}`)
    await tickAll(page, /keep what it knows/)
    await page.getByRole('button', { name: 'Read the settings' }).click()
    await expect(page.getByLabel('Settings report')).toHaveValue(/M301 P22\.40 I1\.32 D95\.00/)
    await expect(verdict(page)).toContainText('settings kept.')
    await close(page)
    await tickAll(page, /Print the test piece/)
    // The sheet unloads hot; this printer is cold and empty, and the gate wants to know why.
    await expect(page.getByRole('heading', { level: 1, name: /Measure it before it goes in/ })).toBeVisible()
    for (const box of await page.getByRole('region', { name: 'Worktop' }).getByRole('checkbox').all())
      await box.check()
    await fillAll(page, { 'Pieces taken out': '5', 'Pieces put back': '5' })
    await expect(verdict(page)).toContainText('This step needs heat, and the nozzle was at')
    await page.getByLabel('Why was it done outside its gate?').fill('no filament was loaded')
    await close(page)
    await fillAll(page, { 'Heater, cold at its leads': '14.4' })
    await page.getByRole('button', { name: /Ask the printer/ }).click()
    await expect(page.getByLabel('Target the printer took')).toHaveValue('230')
    await expect(verdict(page)).toContainText('Pass: targets up to')
    await close(page)
    await tickAll(page, /Switch on cold/)
    await tickAll(page, /Heat for the first time/)

    await expect(page.getByText('Stay with it from the first degree to the last')).toBeVisible()
    await page.getByRole('button', { name: /Hold test/ }).click()
    await expect(page.getByRole('group', { name: 'Running on the printer' })).toContainText(/left|heating/i)
    await expect(on(page, 'Birch')).toContainText('HOT')
    await expect(verdict(page)).toContainText('Now run the autotune', { timeout: 60_000 })
    await page.getByRole('button', { name: 'Autotune', exact: true }).click()
    // The page goes away and comes back: the work goes on, and its result waits in the draft.
    await page.goto('/logbook')
    await expect(page.getByRole('heading', { level: 1, name: 'Logbook' })).toBeVisible()
    await page.goto(`/jobs/${job}/heater_loop`)
    await expect(verdict(page)).toContainText('Adjust: P ', { timeout: 60_000 })
    const rules = page.getByRole('region', { name: 'What each rule would do' })
    await expect(rules.getByRole('radio')).toHaveCount(7)
    const before = await verdict(page).textContent()
    await rules.getByText(/^AMIGO/).click()
    await expect(rules.getByRole('radio', { name: /AMIGO/ })).toBeChecked()
    await expect(verdict(page)).toContainText('Made to keep margins')
    expect(await verdict(page).textContent()).not.toBe(before)
    await page.getByRole('button', { name: 'Write and store' }).click()
    await expect(page.getByText('Written, stored, and read back')).toBeVisible()
    const written = await page.getByText('Written, stored, and read back').textContent()
    const gains = /P [\d.]+ I [\d.]+ D [\d.]+/.exec(written ?? '')?.[0] ?? 'no gains'
    await expect(verdict(page)).toContainText('These gains are set. Verify them.')
    // What was pressed is gone: the keyboard stays beside it.
    await expect(page.getByRole('group', { name: 'Work on the printer' })).toBeFocused()
    await page.getByRole('button', { name: 'Verify: step, hold, fan' }).click()
    await expect(verdict(page)).toContainText('Pass: the loop holds 230 °C.', { timeout: 60_000 })
    await close(page)
    await expect(page.getByRole('link', { name: /^Heater loop/ })).toContainText(
      `${gains}, verified at 230 °C`,
    )
    await tickAll(page, /before you tune/)
    await foundAt(page, '230')
    await accept(page)

    // The plug is pulled, and the page says what it can't know.
    await twin.off()
    await expect(says(page)).toContainText('Not connected')
    await twin.on()
    await expect(on(page, 'Birch')).toContainText('SAFE', { timeout: 30_000 })
    await page
      .getByRole('group', { name: 'Was the printer switched off and on' })
      .getByRole('radio', { name: 'yes' })
      .check()
    await page.getByRole('button', { name: 'Read the settings' }).click()
    await expect(verdict(page)).toContainText('Pass: 3 values of this job stand in the printer.')
    await expect(page.getByRole('row', { name: /M301 P heater loop.*\(Heater loop\)/ })).toContainText('22.4')
    await close(page)
    await tickAll(page, /Look it over once more/)
    await expect(page.getByRole('heading', { name: /Recalibration of Birch/ })).toBeVisible()
  } finally {
    await twin.off()
  }
})

test('values that were not stored are noticed at the writing, and again after a power cycle', async ({
  page,
  request,
}) => {
  const twin = new OwnTwin(...FAST, '--seed', '4', '--fault', 'settings-not-saved', ...memory())
  await twin.on()
  try {
    const printer = await ownPrinter(request, 'Vanilla')
    const job = await startJob(request, printer, ['heater_block'])
    await connect(page, printer, 'Vanilla', twin.host)
    await page.goto(`/jobs/${job}/heater_loop`)
    await page.getByRole('button', { name: 'Autotune', exact: true }).click()
    await expect(verdict(page)).toContainText('Adjust: P ', { timeout: 60_000 })
    await page.getByRole('button', { name: 'Write and store' }).click()
    await expect(
      page.getByText(/Not stored: after the printer read its memory again M301 P is 22\.4/),
    ).toBeVisible()
    await twin.off()
    await expect(says(page)).toContainText('Not connected')
    await twin.on()
    await expect(on(page, 'Vanilla')).toContainText('SAFE', { timeout: 30_000 })
    await page.getByRole('button', { name: 'Verify: step, hold, fan' }).click()
    await expect(verdict(page)).toContainText('Adjust: the printer holds P 22.40 I 1.32 D 95.00.', {
      timeout: 60_000,
    })
  } finally {
    await twin.off()
  }
})

test('what was measured before the part went in counts no more once it is in', async ({ page, request }) => {
  const twin = new OwnTwin(...FAST, '--seed', '7')
  await twin.on()
  try {
    const printer = await ownPrinter(request, 'Privet')
    const job = await startJob(request, printer, ['heater_block'])
    await connect(page, printer, 'Privet', twin.host)
    await page.goto(`/jobs/${job}/heater_loop`)
    await page.getByRole('button', { name: /Hold test/ }).click()
    await expect(verdict(page)).toContainText('Now run the autotune', { timeout: 60_000 })
    // Without a link no temperature holds a step back.
    await request.delete(`/api/v1/printers/${printer}/link`)
    await workTo(page, request, job, 'power_up')
    await page.goto(`/jobs/${job}/heater_loop`)
    await expect(verdict(page)).toContainText('first')
    await expect(page.getByRole('heading', { level: 2, name: 'Hold test' })).toHaveCount(0)
    await page.goto('/logbook')
    await expect(
      page.getByText(/Heater loop: set aside, since it was read before the new heater block/),
    ).toBeVisible()
  } finally {
    await twin.off()
  }
})

test('swings that the block cannot make lead to the sensor, with the samples marked and no tuning offered', async ({
  page,
  request,
}) => {
  const twin = new OwnTwin(...FAST, '--seed', '5', '--fault', 'sensor-intermittent')
  await twin.on()
  try {
    const printer = await ownPrinter(request, 'Elm')
    const job = await startJob(request, printer, ['sensor_same_type'])
    await connect(page, printer, 'Elm', twin.host)
    await page.goto(`/jobs/${job}/heater_loop`)
    await page.getByRole('button', { name: /Hold test/ }).click()
    await expect(verdict(page)).toContainText('Stop: sensor or wiring', { timeout: 60_000 })
    await expect(verdict(page)).toContainText('Don’t tune')
    await expect(page.getByRole('button', { name: 'Autotune', exact: true })).toHaveCount(0)
    await expect(page.getByRole('button', { name: 'Write and store' })).toHaveCount(0)
    await expect(page.getByLabel('Commands', { exact: true })).toHaveCount(0)
    const curve = page.getByRole('img', { name: /Hold test: Sensor or wiring/ })
    await expect(curve).toHaveAccessibleName(/\d+ places marked/)
    await expect(page.getByLabel('Why, cautions and commands')).toContainText('can change by')
  } finally {
    await twin.off()
  }
})

test('an emergency stop stands on every page and says what came of it', async ({ page, request }) => {
  const twin = new OwnTwin(...FAST, '--seed', '6')
  await twin.on()
  try {
    const printer = await ownPrinter(request, 'Fir')
    await connect(page, printer, 'Fir', twin.host)
    await page.getByLabel('Send a command').fill('M104 S260')
    await page.getByRole('button', { name: 'Send' }).click()
    await expect(page.getByRole('alert')).toContainText(
      '260 °C is above the ceiling of 235 °C, held down by the liner. Nothing was sent',
    )
    await expect(page.getByLabel('Send a command')).toHaveValue('M104 S260')
    await page.getByLabel('Send a command').fill('M104 S200')
    await page.getByRole('button', { name: 'Send' }).click()
    await expect(page.getByRole('region', { name: 'What was sent and answered' })).toContainText('M104 S200')
    await expect(on(page, 'Fir')).toContainText('HOT')
    // Nozzle and bed have a curve each: the bed is as cold as its room.
    const curve = (of: string) =>
      page.getByRole('img', { name: new RegExp(`^Temperature of the ${of}, the last 20 minutes; now \\d+`) })
    await expect(curve('nozzle')).toBeVisible()
    await page.getByRole('radio', { name: 'bed', exact: true }).check()
    await expect(curve('bed')).toHaveAccessibleName(/; now (1|2)\d °C/)
    for (const path of ['/', '/jobs', '/logbook', '/rules', '/traces']) {
      await page.goto(path)
      await expect(page.getByRole('button', { name: 'Emergency stop of Fir' })).toBeVisible()
    }
    await page.getByRole('button', { name: 'Emergency stop of Fir' }).click()
    await expect(says(page)).toContainText('the printer reports that its heaters are off')
    await page.goto(`/printers/${printer}/link`)
    await page.getByLabel('Find in it').fill('M112')
    await expect(page.getByRole('region', { name: 'What was sent and answered' })).toContainText('sent')
    await page.getByRole('button', { name: 'Release it' }).click()
    await expect(on(page, 'Fir')).toContainText(/HOT|WARM|SAFE/)
    await page.getByRole('button', { name: 'Disconnect' }).click()
    await expect(page.getByText('Closed; heaters are off.')).toBeVisible()
  } finally {
    await twin.off()
  }
})

test('a step that needs cold waits for it while the nozzle is hot', async ({ page, request }) => {
  const twin = new OwnTwin('--speed', '200', '--seed', '7')
  await twin.on()
  try {
    const printer = await ownPrinter(request, 'Ginkgo')
    const job = await startJob(request, printer, ['heater_cartridge'])
    await connect(page, printer, 'Ginkgo', twin.host)
    await page.getByLabel('Send a command').fill('M104 S200')
    await page.getByRole('button', { name: 'Send' }).click()
    await expect(on(page, 'Ginkgo')).toContainText('200°')
    await page.goto(`/jobs/${job}/fit.heater_cartridge`)
    await expect(page.getByText(/wait: nozzle 200 °C/).first()).toBeVisible()
    const cold = page.getByRole('checkbox', { name: /Loosen the clamp/ })
    await cold.check()
    await expect(page.getByText(/This step needs cold, and the nozzle was at 200 °C/).first()).toBeVisible()
    await expect(page.getByText('Kept on disk.')).toBeVisible()
    await page.goto(`/printers/${printer}/link`)
    await page.getByRole('button', { name: 'Heaters off' }).click()
    await expect(on(page, 'Ginkgo')).toContainText('SAFE', { timeout: 60_000 })
    await page.goto(`/jobs/${job}/fit.heater_cartridge`)
    await expect(cold).toBeChecked()
    await cold.uncheck()
    await cold.check()
    await expect(page.getByText('This step needs cold')).toHaveCount(0)
  } finally {
    await twin.off()
  }
})

test('a log file is read without a connection, with line and column where it does not read', async ({
  page,
  request,
}) => {
  const rows = ['time_s,temp_c,target,duty']
  for (let t = 0; t < 240; t += 1) rows.push(`${t},${(209.9 + 0.2 * Math.sin(t / 9)).toFixed(2)},210,0.40`)
  const file = (name: string, lines: string[]) => ({
    name,
    mimeType: 'text/csv',
    buffer: Buffer.from(lines.join('\n')),
  })
  await page.goto('/traces')
  const drop = page.locator('input[type=file]')
  await drop.setInputFiles(file('good.csv', [...rows, 'x,y,z,w']))
  await expect(page.getByText('Steady: the loop holds.')).toBeVisible()
  await page.getByText(/Lines that don’t read/).click()
  await expect(page.getByText(/Line 242, column \d+:/)).toBeVisible()
  await drop.setInputFiles(file('bad.csv', ['nothing', 'here']))
  await expect(page.getByRole('alert')).toContainText('No temperatures were found in this file')

  const printer = await ownPrinter(request, 'Balsa')
  const job = await startJob(request, printer, ['silicone_sock'])
  await page.goto(`/jobs/${job}/heater_loop`)
  await expect(page.getByText('Not connected: drop logs in below')).toBeVisible()
  await page.locator('input[type=file]').first().setInputFiles(file('hold.csv', rows))
  await expect(verdict(page)).toContainText('Pass: it holds 210 °C.')
  await expect(page.getByRole('img', { name: /Hold test: Steady/ })).toBeVisible()
  await expect(page.getByText('Kept on disk.')).toBeVisible()
  await page.reload()
  await expect(verdict(page)).toContainText('Pass: it holds 210 °C.')
  await expect(station(page, 'Heater loop')).toContainText('verify')
})

test('a bed that comes and goes is told beside a nozzle that holds, in one log', async ({ page }) => {
  const rows = ['bed set;bed;time (s);nozzle set;nozzle;nozzle power']
  for (let t = 0; t < 300; t += 1) {
    const bed = 60 + 0.2 * Math.sin(t / 7) - (t % 23 === 11 ? 24 : 0)
    rows.push(`60;${bed.toFixed(1)};${t};210;${(209.9 + 0.2 * Math.sin(t / 9)).toFixed(1)};38`)
  }
  await page.goto('/traces')
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'both.csv', mimeType: 'text/csv', buffer: Buffer.from(rows.join('\n')) })
  await expect(page.getByText('Steady: the loop holds.')).toBeVisible()
  const bed = page.getByRole('region', { name: 'The bed' })
  await expect(bed).toContainText('Sensor or wiring')
  await expect(bed).toContainText('where they bend with the bed')
  await expect(page.getByRole('list', { name: 'What was assumed' })).toContainText(
    'Duty is taken as percent.',
  )
  await expect(page.getByRole('img', { name: /The bed: Sensor or wiring/ })).toBeVisible()
})

test('what a log was taken for is changed on its page, and it is read again', async ({ page }) => {
  const rows = ['time,temp,duty']
  for (let t = 0; t < 300; t += 1)
    rows.push(`${t * 1000},${(410 + 0.4 * Math.sin(t / 9)).toFixed(1)},${95 + (t % 4)}`)
  await page.goto('/traces')
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'bare.csv', mimeType: 'text/csv', buffer: Buffer.from(rows.join('\n')) })
  const taken = page.getByRole('group', { name: 'Taken as' })
  await expect(taken.getByRole('combobox', { name: /Times in/ })).toHaveAccessibleName('Times in: seconds')
  const pick = async (name: RegExp, what: string) => {
    await taken.getByRole('combobox', { name }).click()
    await page.getByText(what, { exact: true }).last().click()
  }
  await pick(/Times in/, 'milliseconds')
  await expect(page.getByText('300 samples over 5 min')).toBeVisible()
  await pick(/Temperatures in/, '°F')
  await expect(page.getByRole('list', { name: 'What was assumed' })).toContainText('°F, as chosen')
  await pick(/Duty counted in/, '0 to 255')
  await taken.getByLabel('Target it was set to').fill('9000')
  await page.keyboard.press('Enter')
  await expect(taken).toContainText('can’t be meant: type 30 °C to 500 °C')
  await taken.getByLabel('Target it was set to').fill('210')
  await page.keyboard.press('Enter')
  await expect(page.getByText('Steady: the loop holds.')).toBeVisible()
  await expect(taken).not.toContainText('can’t be meant')
})

test('when the server goes away the strip says that heat can’t be known, and ending it sets heaters to zero', async ({
  page,
}) => {
  const twin = new OwnTwin('--speed', '20', '--seed', '8')
  await twin.on()
  const server = new OwnServer(['serve', '--data', mkdtempSync(join(tmpdir(), 'heat-'))])
  try {
    const url = await server.start()
    const facts = { bed_x_mm: 235, bed_y_mm: 235, height_mm: 250, nozzle_mm: 0.4, nozzles: 1 }
    const made = await page.request.post(`${url}/api/v1/printers`, {
      data: { name: 'Juniper', kind: 'bed-slinger', facts },
    })
    const { id } = (await made.json()) as { id: number }
    const address = { kind: 'tcp', host: twin.host }
    await page.request.post(`${url}/api/v1/printers/${id}/link`, { data: { address } })
    await page.request.post(`${url}/api/v1/printers/${id}/send`, { data: { line: 'M104 S150' } })
    await page.goto(url)
    await expect(says(page)).toContainText('Heated: the nozzle to 150 °C')
    await server.end()
    await expect(page.getByRole('alert')).toContainText('can’t be known from this page')
    // Started again on the same data it connects by itself, and the heater was left at zero.
    await server.start(new URL(url).host)
    await expect(on(page, 'Juniper')).toContainText(/Touch-safe in|Safe to touch|WARM|HOT/, {
      timeout: 30_000,
    })
    await expect(says(page)).not.toContainText('Heated:')
  } finally {
    await server.kill()
    await twin.off()
  }
})

test('a printer on a serial port is connected by its name, and a nozzle is tightened hot on it', async ({
  page,
  request,
}) => {
  const twin = new OwnTwin('--pty', ...FAST, '--seed', '9')
  const port = await twin.on()
  expect(port).toContain('/dev/')
  try {
    const printer = await ownPrinter(request, 'Larch tree')
    const job = await startJob(request, printer, ['nozzle_same'])
    connected.push(printer)
    await page.goto(`/jobs/${job}/hot_tighten`)
    await page.getByRole('button', { name: 'Connect the printer' }).click()
    const dialog = page.getByRole('dialog', { name: 'Connect the printer' })
    await pick(dialog, 'Port', 'other')
    await dialog.getByLabel('Name of the port').fill('/dev/nobody')
    await dialog.getByRole('button', { name: 'Connect' }).click()
    await expect(dialog.getByRole('alert')).toContainText('/dev/nobody at 115200 baud can’t be opened')
    await dialog.getByLabel('Name of the port').fill(port)
    await dialog.getByRole('button', { name: 'Connect' }).click()
    await expect(dialog).toBeHidden()
    await page.getByRole('button', { name: 'Heat to 230 °C and stay hot' }).click()
    await expect(says(page)).toContainText('Heated: the nozzle to 230 °C', { timeout: 30_000 })
    await expect(page.getByRole('group', { name: 'Running on the printer' })).toHaveCount(0, {
      timeout: 60_000,
    })
    await page.getByRole('button', { name: /Tight now: take what it shows, 2[23]\d °C/ }).click()
    await expect(page.getByLabel('Nozzle when tightened')).toHaveValue(/2[23]\d/)
    await fillAll(page, { 'Waited after extruding': '1' })
    await heldAndTight(page)
    await expect(verdict(page)).toContainText('wait 2 min after extruding, then look again')
    await page.getByLabel('Waited after extruding').fill('2,5')
    await expect(verdict(page)).toContainText(/Pass: tightened at 2[23]\d °C, no seep/)
    await page.getByRole('group', { name: 'Does plastic seep' }).getByRole('radio', { name: 'yes' }).check()
    await expect(verdict(page)).toContainText('Stop: plastic seeps above the nozzle')
  } finally {
    await twin.off()
  }
})

test('a wrong sensor and a wrong heater are stopped cold', async ({ page, request }) => {
  const printer = await ownPrinter(request, 'Quince tree')
  const job = await startJob(request, printer, ['hot_end_other'])
  await page.goto(`/jobs/${job}/sensor_type`)
  await fillAll(page, { 'Room, by thermometer': '21,5', 'Nozzle, as shown': '0', 'Bed, as shown': '21' })
  await expect(verdict(page)).toContainText('Stop: the sensor’s circuit is open.')
  await expect(verdict(page)).toContainText('the bed reads right')
  await fillAll(page, { 'Nozzle, as shown': '84', 'Resistance at the plug': '11700' })
  await expect(verdict(page)).toContainText('the fitted sensor is a glass bead, 10 kΩ')
  await pick(page, 'Sensor type set in the printer', 'glass bead, 10 kΩ, B 3950')
  await fillAll(page, { 'Nozzle, as shown': '21.9' })
  await expect(verdict(page)).toContainText('Pass: it reads the room within 0.4 °C.')
  await expect(page.getByText('Electric shock.', { exact: false }).first()).toBeVisible()

  await page.goto(`/jobs/${job}/heater`)
  await fillAll(page, { 'Heater, cold at its leads': '3,6' })
  await expect(verdict(page)).toContainText('Stop: this heater makes 160 W at 24 V, not 40 W.')
  await expect(verdict(page)).toContainText('Don’t connect it')
  await fillAll(page, { 'Heater, cold at its leads': '14,4', 'Hottest print planned': '250' })
  await expect(verdict(page)).toContainText('The liner holds it down to 235 °C')
  await fillAll(page, { 'Hottest print planned': '230' })
  await expect(verdict(page)).toContainText('Pass: targets up to 235 °C.')
})

test('settings are compared at the end: a lost value comes back as commands, a strange one is asked about', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Olive', { offset_z: -1.62 })
  const job = await startJob(request, printer, ['bed_surface'])
  const report = (z: string, e: string) =>
    `echo:  M92 X80.00 Y80.00 Z400.00 E${e}\necho:  M851 X-42.00 Y-8.00 Z${z}\n`
  await page.goto(`/jobs/${job}/snapshot`)
  await page.getByLabel('Settings report').fill('hello')
  await expect(page.getByText('No setting was found in this text').first()).toBeVisible()
  await page.getByLabel('Settings report').fill(report('-1.620', '415.00'))
  await expect(verdict(page)).toContainText('Pass: 7 settings kept.')
  await page.goto(`/jobs/${job}/compare`)
  await page
    .getByRole('group', { name: 'Was the printer switched off' })
    .getByRole('radio', { name: 'no' })
    .check()
  await page.getByLabel('Settings report').fill(report('-1.620', '415.00'))
  // The snapshot is not closed yet, so there is nothing to compare with.
  await expect(verdict(page)).toContainText('Pass: nothing was to be stored.')
  await page.goto(`/jobs/${job}`)
  await tickAll(page, /keep what it knows/)
  await page.getByLabel('Settings report').fill(report('-1.620', '415.00'))
  await expect(verdict(page)).toContainText('Pass: 7 settings kept.')
  await close(page)
  await page.goto(`/jobs/${job}/compare`)
  await page
    .getByRole('group', { name: 'Was the printer switched off' })
    .getByRole('radio', { name: 'no' })
    .check()
  await page.getByLabel('Settings report').fill(report('-1.620', '430.00'))
  await expect(verdict(page)).toContainText('1 setting changed, and no station did it.'.replace('1', 'one'))
  await expect(page.getByRole('row', { name: /M92 E extruder steps\/mm \(no station\)/ })).toContainText(
    '430',
  )
  await page.getByLabel('Why did it change').fill('the customer set it last week')
  await expect(verdict(page)).toContainText('Pass')
})
