import { expect, test } from '@playwright/test'

import {
  close,
  fillAll,
  goOn,
  happened,
  ownFilament,
  ownPrinter,
  pick,
  startJob,
  station,
  verdict,
} from '../bench'
import { accept, acceptAnswers, tickOpen, workTo, zAsItWas } from '../closings'

/* Whole jobs that don't go as planned, from the first sentence to the report. */

test('a complaint that comes back twice: false fixes on record, parts added, closed in the end', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Juniper', { offset_z: -1.4 })
  await ownFilament(request, printer, 'PETG of Juniper')
  await page.goto('/')
  await page.getByRole('link', { name: 'New job on Juniper', exact: true }).click()
  await page.getByRole('checkbox', { name: 'nozzle, 0.4 mm, replaced' }).click()
  await page.getByLabel('Complaint, in the customer’s words').fill('Good for half a print, then thin')
  await page.getByRole('radio', { name: 'after a while' }).check()
  await page.getByLabel(/After how many minutes/).fill('52')
  await page.getByLabel('PETG of Juniper').check()
  await page.getByLabel('Already tried').fill('a new spool')
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const job = Number(/jobs\/(\d+)/.exec(page.url())?.[1])

  await workTo(page, request, job, 'baseline')
  await page.getByLabel(/What you saw/).fill('walls 0.38 mm at the top, strings 2')
  await tickOpen(page)
  await workTo(page, request, job, 'offset_z')
  await pick(page, 'Instrument', 'micrometer')
  const corners = ['front left', 'front right', 'middle', 'back left', 'back right']
  await fillAll(page, Object.fromEntries(corners.map((c) => [c, '0.20'])))
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  // The first print stands beside what the baseline showed.
  await expect(page.getByText('The baseline showed: walls 0.38 mm at the top, strings 2')).toBeVisible()
  await workTo(page, request, job, 'acceptance')

  await happened(page, 'the complaint came back', {
    minutes: '55',
    reason: [/What was seen/, 'thin again from the middle on'],
  })
  await expect(
    page.getByRole('heading', {
      name: 'It came back. Look for the cause again; what was replaced did not explain it.',
    }),
  ).toBeVisible()
  await expect(page.getByText(/Not explained by the new nozzle, same bore/).first()).toBeVisible()
  await page.getByLabel(/What you saw/).fill('tube end brown, 1 mm of play? no')
  await happened(page, 'one more part', { part: 'tube', reason: [/Why is it replaced/, 'its end was brown'] })
  await expect(station(page, 'Strip and fit: tube')).toBeVisible()
  await expect(station(page, 'Z offset')).toContainText('Z offset')
  await workTo(page, request, job, 'offset_z')
  await zAsItWas(page)
  await workTo(page, request, job, 'acceptance')

  // Said at acceptance, it is the same: the cause is looked for before anything else.
  await acceptAnswers(page, '70', 'yes')
  await expect(verdict(page)).toContainText('Stop: the complaint came back after 1 h 10 min')
  await close(page, /Record the stop/)
  await expect(page).toHaveURL(new RegExp(`/jobs/${job}/cause$`))
  await expect(page.getByText(/it came back after 55 and 70 min/).first()).toBeVisible()
  await tickOpen(page)
  // Two parts explained nothing: now the cause is looked for, with that known.
  await page.getByRole('button', { name: 'What is wrong with it?' }).click()
  await expect(page).toHaveURL(/\/wrong\/\d+$/)
  const evidence = page.getByRole('complementary', { name: 'Evidence' })
  await expect(evidence).toContainText('Not explained by the new nozzle, same bore')
  await expect(evidence).toContainText('Not explained by the new tube: it came back after 70 min')
  await page.getByRole('button', { name: 'All of it is so' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Pull and push the tube at each coupler.')
  await page.getByLabel('Reading in mm').fill('0,6')
  await page.getByLabel('Reading in mm').press('Enter')
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Fit a new coupler.')
  await page.getByRole('button', { name: `Put it on job ${job}` }).click()
  await expect(page).toHaveURL(new RegExp(`/jobs/${job}`))
  await expect(station(page, 'Strip and fit: hot-end coupler')).toBeVisible()
  await workTo(page, request, job, 'offset_z')
  await zAsItWas(page)
  await workTo(page, request, job, 'acceptance')
  // Three times to failure are known by now, 52, 55 and 70 min: 45 min clean prove nothing.
  await expect(page.getByRole('heading', { name: /run clean for \d h/ })).toBeVisible()
  await accept(page, '400')
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  // What the page says for a moment is not printed over the report.
  const said = page.getByText('Hand over: Pass: every step is done.')
  await expect(said).toBeVisible()
  await page.emulateMedia({ media: 'print' })
  await expect(said).toBeHidden()
  await page.emulateMedia({ media: 'screen' })
  const report = page.getByRole('article')
  await expect(report).toContainText('The new nozzle, same bore and material did not explain the complaint')
  await expect(report).toContainText('The new tube did not explain the complaint: it came back after 70 min.')
  await expect(report).toContainText('Noted: walls 0.38 mm at the top, strings 2')
  await expect(report).toContainText('after 52, 55, 70 min of printing')
  await expect(report).toContainText('a new spool')
  // And it is found again.
  await page.goto('/logbook')
  await expect(page.getByRole('row', { name: /Baseline print: walls 0.38 mm/ })).toBeVisible()
})

test('a job is cancelled while nothing was fitted, and one that fitted something is closed unfixed', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Medlar', { drive: 93 })
  const filament = await ownFilament(request, printer, 'PETG of Medlar')
  const first = await startJob(request, printer, ['extruder_drive'], [filament])
  await workTo(page, request, first, 'baseline')
  await happened(page, 'cancel', { reason: [/Why/, 'begun on the wrong printer'] })
  await expect(page.getByRole('heading', { name: 'Cancelled.' })).toBeVisible()

  const second = await startJob(request, printer, ['extruder_drive'], [filament])
  await workTo(page, request, second, 'drive')
  await page.getByRole('button', { name: 'Something happened' }).click()
  const dialog = page.getByRole('dialog', { name: /What happened to job/ })
  await dialog.getByRole('radio', { name: 'cancel' }).check()
  await dialog.getByLabel(/Why/).fill('no time')
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(dialog.getByRole('alert')).toContainText('the printer isn’t as it was. Close the job unfixed')
  await dialog.getByRole('radio', { name: 'end, not fixed' }).check()
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(page.getByRole('heading', { name: 'Closed unfixed.' })).toBeVisible()
  // The drive was left open: nobody takes its old value for good.
  await page.goto('/')
  await expect(page.getByText(/In doubt since its last job: drive, .*The next job opens them/)).toBeVisible()
  // That was a wrong ending: it goes on where it was.
  await page.goto(`/jobs/${second}`)
  await happened(page, 'it goes on', { reason: [/Why does it go on/, 'a gear was found'] })
  await expect(page).toHaveURL(new RegExp(`/jobs/${second}/drive$`))
})

test('a station left out is seen wherever something rests on it, and in the report', async ({
  page,
  request,
}) => {
  const printer = await ownPrinter(request, 'Hornbeam', { drive: 93 })
  const filament = await ownFilament(request, printer, 'PETG of Hornbeam')
  const job = await startJob(request, printer, ['extruder_motor'], [filament])
  await workTo(page, request, job, 'drive')
  await page.getByRole('button', { name: 'Leave it out' }).click()
  const dialog = page.getByRole('dialog', { name: 'Leave “Drive” out?' })
  await dialog.getByRole('button', { name: 'Leave it out' }).click()
  await expect(dialog.getByRole('alert')).toContainText('Say why')
  await dialog.getByLabel('Why', { exact: true }).fill('the rule is lent out')
  await dialog.getByRole('button', { name: 'Leave it out' }).click()
  await expect(station(page, 'Drive')).toContainText('left out: the rule is lent out')
  await expect(station(page, 'Retraction')).toContainText('rests on an unproven value: Drive')
  await page.goto(`/jobs/${job}/drive`)
  await expect(verdict(page)).toContainText('Left out: the rule is lent out')
  await page.goto(`/jobs/${job}/flow.${filament}`)
  await expect(page.getByRole('note').filter({ hasText: 'Rests on an unproven value: Drive.' })).toBeVisible()
  await page.goto(`/jobs/${job}/report`)
  const report = page.getByRole('article')
  await expect(report).toContainText('Drive was left out: the rule is lent out.')
  await expect(report).toContainText(/Unproven with it: .*Retraction/)
  // Measured after all, nothing is unproven any more.
  await page.goto(`/jobs/${job}/drive`)
  await page.getByRole('button', { name: 'Reopen' }).click()
  await page.getByLabel('Why', { exact: true }).fill('the rule is back')
  await page.getByRole('dialog').getByRole('button', { name: 'Reopen' }).click()
  await expect(station(page, 'Retraction')).not.toContainText('unproven')
})

test('a check-up without a part: what was asked for is verified, and nothing is stripped', async ({
  page,
  request,
}) => {
  await ownPrinter(request, 'Cornel', { drive: 93, tram: 0.04 })
  await page.goto('/')
  await page.getByRole('link', { name: 'New job on Cornel', exact: true }).click()
  await page.getByRole('radio', { name: 'check-up' }).check()
  await page.getByRole('checkbox', { name: 'Drive' }).check()
  await expect(station(page, 'Drive')).toContainText('a check-up was asked for')
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const job = Number(/jobs\/(\d+)/.exec(page.url())?.[1])
  await workTo(page, request, job, 'drive')
  await pick(page, 'Instrument', 'caliper')
  await fillAll(page, { 'Run 1, left over': '20.02', 'Run 2, left over': '20.00' })
  await expect(verdict(page)).toContainText('Pass')
  await close(page)
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  await expect(page.getByRole('article')).toContainText('Replaced')
  await expect(page.getByRole('article')).toContainText('nothing')
})

test('a symptom is looked into before a part is bought, and a wrong closing is corrected', async ({
  page,
  request,
}) => {
  await ownPrinter(request, 'Sallow', { drive: 93 })
  await page.goto('/')
  await page.getByRole('link', { name: 'New job on Sallow', exact: true }).click()
  await page.getByRole('radio', { name: 'a fault' }).check()
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page.getByRole('alert')).toContainText('Type what is wrong')
  await page.getByLabel('Complaint, in the customer’s words').fill('Clicks at the top of tall prints')
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const job = Number(/jobs\/(\d+)/.exec(page.url())?.[1])
  await workTo(page, request, job, 'cause')
  await expect(
    page.getByRole('heading', { name: /Look for the cause before a part is replaced/ }),
  ).toBeVisible()
  await page.getByLabel(/What you saw/).fill('the spool rubs on its holder')
  await tickOpen(page)
  await workTo(page, request, job, 'hand_over')
  await tickOpen(page)
  await expect(page.getByRole('article')).toContainText('Noted: the spool rubs on its holder')
  // It wasn't the spool: the hand over was wrong.
  await page.goto(`/jobs/${job}/cause`)
  await page.getByRole('button', { name: 'Reopen' }).click()
  await page.getByLabel('Why', { exact: true }).fill('it clicks with another spool too')
  await page.getByRole('dialog').getByRole('button', { name: 'Reopen' }).click()
  await expect(page.getByLabel(/What you saw/)).toHaveValue('the spool rubs on its holder')
  await happened(page, 'one more part', {
    part: 'extruder drive',
    reason: [/Why is it replaced/, 'its teeth are worn'],
  })
  await tickOpen(page)
  expect(await goOn(page, request, job)).toBe('fit.extruder_drive')
})

test('a bought-back machine is looked over, paused, handed on, and given up', async ({ page, request }) => {
  await ownPrinter(request, 'Persimmon', {})
  await page.goto('/')
  await page.getByRole('link', { name: 'New job on Persimmon', exact: true }).click()
  await page.getByRole('radio', { name: 'bought-back machine' }).check()
  await page.getByRole('button', { name: /Start job/ }).click()
  await expect(page).toHaveURL(/\/jobs\/\d+/)
  const job = Number(/jobs\/(\d+)/.exec(page.url())?.[1])
  await expect(page.getByRole('heading', { name: /Look the machine over/ })).toBeVisible()
  await happened(page, 'pause', { reason: [/The job keeps its place/, 'tired'] })
  await page.goto('/')
  await expect(page.getByText('Paused: tired.')).toBeVisible()
  await page.goto(`/jobs/${job}`)
  await happened(page, 'work goes on', {})
  await happened(page, 'handed on to somebody', {
    who: 'bench C',
    reason: [/should they know/, 'the inlet is cracked'],
  })
  await page.getByLabel(/What you saw/).fill('spool holder missing; plate bent')
  await tickOpen(page)
  await happened(page, 'end, not fixed', { reason: [/Why is it left/, 'costs more than it is worth'] })
  await page.goto(`/jobs/${job}/report`)
  const report = page.getByRole('article')
  await expect(report).toContainText('Closed unfixed')
  await expect(report).toContainText('bench C')
  await expect(report).toContainText('Handed on to bench C: the inlet is cracked')
  await expect(report).toContainText('Noted: spool holder missing; plate bent')
  await page.goto('/jobs')
  await page.getByRole('radio', { name: 'unfixed' }).check()
  await expect(page.getByRole('row', { name: /Persimmon/ })).toContainText('closed unfixed')
})
