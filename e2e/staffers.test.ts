import { expect, place, signIn, test } from './support.ts'

const serial = Date.now().toString(36)
const password = 'harbour lantern quilt seven'

test('a steward invites somebody, who chooses a password and works; suspended, they are out; the last steward stays', async ({
  page,
  browser,
}) => {
  await signIn(page, 'oda', '/organisation/staffers')
  const name = `Siv ${serial}`
  await page.getByLabel('Name', { exact: true }).fill(name)
  await page.getByLabel('Signs in as').fill(`siv${serial}`)
  await page.getByRole('button', { name: 'Make the link' }).click()
  const link = await page.getByLabel(`The link for ${name}.`).inputValue()
  expect(link).toContain('/invitation#')
  await expect(
    page.getByText(`as siv${serial}, Help desk, for all departments, invited by Oda Rask`),
  ).toBeVisible()

  const other = await browser.newPage()
  await other.goto(`${place().base}/${new URL(link).pathname.slice(1)}${new URL(link).hash}`)
  await expect(other.getByText(`invites you, ${name}`)).toBeVisible()
  await other.getByLabel('Password').fill('password1234')
  await other.getByRole('button', { name: 'Begin' }).click()
  await expect(other.getByRole('alert')).toContainText('easy to guess')
  await other.getByLabel('Password').fill(password)
  await other.getByRole('button', { name: 'Begin' }).click()
  await expect(other.getByRole('navigation')).toBeVisible()
  await expect(other).toHaveURL(/review/)

  await page.reload()
  const row = page.getByRole('listitem').filter({ hasText: name })
  await expect(row).toContainText('signed in on one device')
  await row.getByRole('button', { name: 'Suspend' }).click()
  await expect(
    page.getByRole('status').filter({ hasText: `${name} is suspended and signed out.` }),
  ).toBeVisible()
  await other.reload()
  await expect(other.getByRole('button', { name: 'Sign in' })).toBeVisible()
  await other.close()

  const own = page.getByRole('listitem').filter({ hasText: 'Oda Rask' }).first()
  await own.getByRole('button', { name: 'Suspend' }).click()
  await expect(page.getByText('Nobody else could change the organisation then.')).toBeVisible()
})
