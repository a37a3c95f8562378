import type { BrowserContext, Page } from '@playwright/test'
import { expect, place, signIn, staleProofs, test, withAuthenticator } from './support.ts'

const serial = Date.now().toString(36)
const password = 'harbour lantern quilt seven'

/** Passkeys belong to a name: the same server, opened by one. */
const named = () => place().base.replace('127.0.0.1', 'localhost')

async function invite(page: Page, name: string, department: string): Promise<string> {
  await signIn(page, 'oda', '/organisation/staffers')
  await page.getByLabel('Name', { exact: true }).fill(name)
  await page.getByLabel('Signs in as').fill(`nora${serial}`)
  await page.getByRole('button', { name: 'Looks after: all departments' }).last().click()
  await page.getByRole('checkbox', { name: 'All departments' }).click()
  await page.getByRole('checkbox', { name: department, exact: true }).click()
  await page.getByRole('button', { name: 'Take these' }).click()
  await page.getByRole('button', { name: 'Make the link' }).click()
  const link = await page.getByLabel(`The link for ${name}.`).inputValue()
  return `${named()}/invitation${new URL(link).hash}`
}

/** Everything in the list of mailboxes is of a department. */
async function expectOnly(page: Page, department: string): Promise<void> {
  await page.goto(`${named()}/mailboxes`)
  const list = page.getByRole('list', { name: 'Mailboxes' })
  await expect(list.getByRole('button').first()).toBeVisible()
  for (const row of await list.getByRole('button').all()) await expect(row).toContainText(department)
}

test('invited for a department; a passkey added, and signed in with; only their mail; asked again before lists go out', async ({
  page,
  browser,
}) => {
  const name = `Nora ${serial}`
  const link = await invite(page, name, 'Finance')
  const context: BrowserContext = await browser.newContext()
  const nora = await context.newPage()
  await withAuthenticator(nora)
  await nora.goto(link)
  await nora.getByLabel('Password').fill(password)
  await nora.getByRole('button', { name: 'Begin' }).click()
  await nora.getByRole('navigation').waitFor()
  await expectOnly(nora, 'Finance')

  await nora.goto(`${named()}/me`)
  await nora.getByRole('button', { name: 'Add a passkey' }).click()
  await nora.getByLabel('What you call it').fill('The desk')
  await nora.getByRole('button', { name: 'Make the passkey' }).click()
  const codes = nora.getByRole('status', { name: 'Recovery codes' })
  await expect(codes.getByRole('listitem')).toHaveCount(10)
  const [code = ''] = await codes.getByRole('listitem').allTextContents()
  await nora.getByRole('button', { name: 'I have them' }).click()
  await expect(nora.getByRole('listitem').filter({ hasText: 'The desk' })).toContainText('not used yet')

  const leave = async () => {
    await nora.getByRole('button', { name }).click()
    await nora.getByRole('menuitem', { name: 'Sign out' }).click()
    await expect(nora.getByLabel('Name')).toBeVisible()
  }
  await leave()
  // The passkey alone is both factors.
  await nora.getByRole('button', { name: 'Use a passkey' }).click()
  await nora.getByRole('navigation').waitFor()
  await expectOnly(nora, 'Finance')
  // What is of the whole organisation is not theirs.
  await nora.goto(`${named()}/organisation/staffers`)
  await expect(nora.getByText('Only stewards see who works with Pendro.')).toBeVisible()

  await leave()
  // The password alone opens nothing; with a recovery code it does.
  await nora.getByLabel('Name').fill(`nora${serial}`)
  await nora.getByLabel('Password').fill(password)
  await nora.getByRole('button', { name: 'Sign in' }).click()
  await expect(nora.getByRole('heading', { name: 'One more step' })).toBeVisible()
  await nora.getByLabel('Recovery code').fill('AAAAA-AAAAA')
  await nora.getByRole('button', { name: 'Sign in' }).click()
  await expect(nora.getByRole('alert')).toContainText('did not prove that it is you')
  await nora.getByLabel('Recovery code').fill(code)
  await nora.getByRole('button', { name: 'Sign in' }).click()
  await nora.getByRole('navigation').waitFor()

  // Ten minutes later lists go out only for whoever proves once more that it is them.
  await staleProofs()
  await nora.goto(`${named()}/senders`)
  await nora.getByRole('button', { name: 'Export as…' }).click()
  const saved = nora.waitForEvent('download')
  await nora.getByRole('menuitem', { name: /CSV/ }).click()
  await expect(nora.getByRole('dialog', { name: 'Is it you?' })).toBeVisible()
  await nora.getByRole('button', { name: 'Use a passkey' }).click()
  expect((await saved).suggestedFilename()).toMatch(/^senders-.*\.csv$/)
  await expect(nora.getByRole('dialog')).toBeHidden()
  await context.close()

  await page.goto(`${place().base}/record?what=signing-in`)
  await expect(page.getByText('Signed in with a passkey').first()).toBeVisible()
  await expect(page.getByText('Used a recovery code; 9 are left').first()).toBeVisible()
})

test('an app with codes: its picture and secret, a wrong code, and left again', async ({ page }) => {
  await signIn(page, 'una', '/me')
  await expect(page.getByRole('heading', { name: 'Second factor' })).toBeVisible()
  // Opened by a number here.
  await expect(page.getByRole('button', { name: 'Add a passkey' })).toBeDisabled()
  await page.getByRole('button', { name: 'Add an app with codes' }).click()
  await expect(page.getByRole('img', { name: 'The secret as a picture for an app' })).toBeVisible()
  await page.getByLabel('The code it shows now').fill('000000')
  await page.getByRole('button', { name: 'Add the app' }).click()
  await expect(page.getByRole('alert')).toContainText('did not prove that it is you')
  await page.getByRole('button', { name: 'Cancel' }).click()
  await expect(page.getByText('You have none yet.')).toBeVisible()
})
