import { expect, place, signIn, test } from './support.ts'

test('a steward changes a setting, sees what it is about, finds it in the record and takes it back', async ({
  page,
}) => {
  await signIn(page, 'oda', '/organisation')
  const card = page.locator('section').filter({ has: page.getByRole('heading', { name: 'Own domains' }) })
  const domains = card.getByLabel('Domains, one a line')
  const before = await domains.inputValue()
  await domains.fill(`${before}\nno domain at all`)
  await expect(card.getByText('“no domain at all” can’t be used here.')).toBeVisible()
  await domains.fill(`${before}\nsister.example`)
  await expect(card.getByText('It counts from now on; no mail of the last month is about it.')).toBeVisible()
  await card.getByLabel('Reason (for the record)').fill('We bought them')
  await card.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'The setting is changed.' })).toBeVisible()
  await expect(domains).toHaveValue(`${before}\nsister.example`)

  await page.goto(`${place().base}/record?what=mailboxes&who=everybody`)
  const row = page.getByRole('listitem').filter({ hasText: 'Changed the own domains from' }).first()
  await expect(row).toContainText('sister.example')
  await row.getByRole('button', { name: 'Undo' }).click()
  await expect(row.getByText('undone')).toBeVisible()
  await page.goto(`${place().base}/organisation`)
  await expect(domains).toHaveValue(before)
})

test('two stewards at once: the later one sees what the other did beside what is typed, and decides', async ({
  page,
  browser,
}) => {
  const cardOf = (on: typeof page) =>
    on.locator('section').filter({ has: on.getByRole('heading', { name: 'Mail stores' }) })
  const networks = (on: typeof page) => cardOf(on).getByLabel('Addresses or networks, one a line')
  await signIn(page, 'oda', '/organisation/doors')
  const before = await networks(page).inputValue()
  await networks(page).fill('192.0.2.1')
  const other = await browser.newPage()
  await signIn(other, 'oda', '/organisation/doors')
  await networks(other).fill('192.0.2.2')
  await cardOf(other).getByRole('button', { name: 'Change it' }).click()
  await expect(other.getByRole('status').filter({ hasText: 'The setting is changed.' })).toBeVisible()
  const alert = cardOf(page).getByRole('alert')
  await expect(alert).toContainText('Yours would take out what is there now: 192.0.2.2')
  await expect(alert).toContainText('Yours would put in: 192.0.2.1')
  await alert.getByRole('button', { name: 'Take theirs' }).click()
  await expect(networks(page)).toHaveValue('192.0.2.2')
  // Without anything typed it follows by itself.
  await other.getByRole('button', { name: 'Undo' }).click()
  await expect(networks(page)).toHaveValue(before)
  await other.close()
})

test('whoever is no steward reads it, and changes nothing', async ({ page }) => {
  await signIn(page, 'per', '/organisation')
  await expect(page.getByText('Stewards change it.')).toBeVisible()
  await expect(page.getByLabel('Name', { exact: true })).toBeDisabled()
  await expect(page.getByRole('checkbox', { name: 'Programs', exact: true })).toBeDisabled()
})
