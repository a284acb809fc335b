import { test } from '@playwright/test'
test('look', async ({ page }) => {
  await page.setViewportSize({ width: 1280, height: 800 })
  await page.goto('http://127.0.0.1:4899/wrong/new/1')
  await page
    .getByLabel('What they say; may be blank')
    .fill('Good for half a print, then thin. Comes back after a new nozzle.')
  await page.getByRole('button', { name: /Look for the cause/ }).click()
  await page.getByRole('button', { name: 'All of it is so' }).click()
  await page.getByRole('region', { name: 'What to do now' }).waitFor()
  await page.screenshot({ path: '/tmp/shots/1.png' })
  for (let i = 2; i < 9; i++) {
    const h = await page.locator('h1').first().textContent()
    console.log(i, h)
    if (h?.startsWith('It is')) break
    const field = page.getByLabel('Reading in mm')
    if (await field.count()) {
      await field.fill('0,6')
      await field.press('Enter')
    } else if (await page.getByText('What did it do?').count()) {
      await page.screenshot({ path: '/tmp/shots/remedy.png' })
      await page.keyboard.press('1')
    } else await page.keyboard.press('2')
    await page.waitForTimeout(800)
    await page.screenshot({ path: `/tmp/shots/${i}.png` })
  }
  await page.screenshot({ path: '/tmp/shots/proven.png' })
})
