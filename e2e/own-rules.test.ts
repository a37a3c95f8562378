import AxeBuilder from '@axe-core/playwright'
import { expect, place, send, stored, test } from './support.ts'
import { demoColleague } from '../scripts/sign-ins.mjs'

const serial = Date.now().toString(36)

test('on a phone: a rule is made with what it would have done, files what comes, and is undone; the junk folder is shown as chosen', async ({
  browser,
}) => {
  const context = await browser.newContext({ viewport: { width: 360, height: 740 }, locale: 'en-GB' })
  const page = await context.newPage()
  await page.goto(`${place().base}/own`)
  await page.getByLabel('Your email address').fill(demoColleague.address)
  await page.getByLabel('Your password').fill(demoColleague.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByRole('link', { name: 'Rules' }).click()
  await page.getByRole('button', { name: 'New rule' }).click()
  await page.getByLabel('Look at').selectOption('the subject')
  await page.getByLabel('This text').fill(`Drift plan ${serial}`)
  await expect(page.getByRole('button', { name: 'Save the rule' })).toBeDisabled()
  await page.getByLabel('Folder').fill('Drift')
  await expect(page.getByText('It would have matched nothing in the last 30 days.')).toBeVisible()
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([])
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  await page.getByRole('button', { name: 'Save the rule' }).click()
  await expect(page.getByText('The rule counts from now on.')).toBeVisible()
  const says = `When the subject contains “Drift plan ${serial}”: file it in Drift.`
  await expect(page.getByText(says, { exact: true })).toBeVisible()

  const arrives = async (n: number) => {
    await send({
      from: 'Forecast room <forecast@havbris.example>',
      to: demoColleague.address,
      subject: `Drift plan ${serial} ${n}`,
      text: 'Wind and sea for the week.',
      headers: { 'Authentication-Results': 'mx1.vindholm.example; dmarc=pass header.from=havbris.example' },
    })
    const folder = async () =>
      (await stored(demoColleague.address)).find(({ subject }) => subject.endsWith(`${serial} ${n}`))?.folder
    await expect.poll(folder).toBeTruthy()
    return folder()
  }
  expect(await arrives(1)).toBe('Drift')
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByText(says, { exact: true })).toBeHidden()
  expect(await arrives(2)).not.toBe('Drift')

  await page.getByRole('link', { name: 'Digests' }).click()
  const choice = page.getByRole('group', { name: 'Show it on this page' })
  await choice.getByLabel('never').check()
  await expect(page.getByText('Saved.')).toBeVisible()
  await page.reload()
  await expect(choice.getByLabel('never')).toBeChecked()
  await choice.getByLabel('always').check()
  await expect(page.getByText('Saved.')).toBeVisible()
  await context.close()
})
