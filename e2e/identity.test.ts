import { startProvider } from '../server/tests/identity-provider.ts'
import { expect, place, restoreSettings, settingsNow, signIn, test } from './support.ts'

const accounts = {
  halvard: {
    name: 'Halvard Kross',
    email: 'halvard.kross@vindholm.example',
    groups: ['pendro-helpdesk'],
  },
  frauke: { name: 'Frauke Priewall', email: 'frauke.priewall@vindholm.example' },
}

/** The provider is a certified library in this process; what its form asks for is all the same. */
test('a steward sets the organisation’s sign-in; a staffer comes by it for the first time, a colleague to their own page', async ({
  page,
  browser,
}) => {
  const provider = await startProvider(`${place().base}/sign-in/back`, accounts, { secret: null })
  const atProvider = async (login: string, there = page) => {
    await there.locator('input[name="login"]').fill(login)
    await there.locator('input[name="password"]').fill('any')
    await there.getByRole('button', { name: 'Sign-in' }).click()
  }
  const card = page.locator('section', { hasText: 'Sign-in with the organisation’s account' })
  const before = await settingsNow()
  try {
    await signIn(page, 'oda', '/organisation')
    await card.getByLabel('Address of the identity provider').fill(`${provider.issuer}/nowhere`)
    await expect(card).toContainText('Pendro’s name at the identity provider is still missing')
    await card.getByLabel('Pendro’s name there').fill('pendro')
    await expect(card).toContainText('nobody answers as an identity provider')
    await card.getByLabel('Address of the identity provider').fill(provider.issuer)
    await card.getByLabel('What people know it as').fill('Vindholm account')
    await card.getByRole('button', { name: 'Add a line' }).click()
    await card.getByLabel('Group, line 1').fill('pendro-helpdesk')
    await card.getByText('Colleagues come to their own pages by it, too').click()
    await expect(card).toContainText('answers as it should')
    await card.getByRole('button', { name: 'Change it' }).click()
    await expect(page.getByRole('status').filter({ hasText: 'The setting is changed' })).toBeVisible()

    // somebody new, in a browser of their own; the page they asked for opens behind it
    const theirs = await browser.newContext()
    const halvard = await theirs.newPage()
    await halvard.goto(`${place().base}/senders`)
    await halvard.getByRole('button', { name: 'Sign in with Vindholm account' }).click()
    await atProvider('halvard', halvard)
    await expect(halvard).toHaveURL(/\/senders$/)
    await halvard.goto(`${place().base}/me`)
    await expect(halvard.getByText('Its groups say what you may do here.')).toBeVisible()
    await expect(halvard.getByRole('heading', { name: 'Password', exact: true })).toHaveCount(0)
    await theirs.close()

    // a staffer of before connects theirs, and is told
    await page.goto(`${place().base}/me`)
    await page.getByRole('button', { name: 'Connect it' }).click()
    await atProvider('frauke')
    await expect(page.getByRole('status').filter({ hasText: 'Your account is connected' })).toBeVisible()
    await page.getByRole('button', { name: 'Sign in with it no more' }).click()
    await expect(page.getByText('is not connected yet')).toBeVisible()

    const phone = await browser.newContext({ viewport: { width: 390, height: 800 }, locale: 'de-DE' })
    const own = await phone.newPage()
    await own.goto(`${place().base}/own`)
    await own.getByRole('button', { name: 'Mit Vindholm account anmelden' }).click()
    await atProvider('halvard', own)
    // No mailbox of theirs is here: told in their language, with another way.
    await expect(own.getByText('ist hier kein Postfach')).toBeVisible()
    await phone.clearCookies()
    await own.getByRole('button', { name: 'Mit Vindholm account anmelden' }).click()
    await atProvider('frauke', own)
    await expect(own.getByRole('navigation')).toBeVisible()
    await expect(own.getByText('Frauke Priewall').first()).toBeVisible()
    await phone.close()

    // passwords go off only when a steward could come back
    await page.goto(`${place().base}/organisation`)
    await card.getByText('Passwords of Pendro count, too').click()
    await expect(card).toContainText('nobody could come in to change this again')
    await card.getByRole('button', { name: 'Leave it as it is' }).click()
  } finally {
    await restoreSettings(before)
    await provider.close()
  }
})
