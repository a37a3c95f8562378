import { expect, send, signIn, stored, test } from './support.ts'

const serial = Date.now().toString(36)
const solveig = 'solveig.skarvik@vindholm.example'

const mail = (subject: string) =>
  send({
    from: 'Kaia Torp <kaia.torp@brygge-nett.example>',
    to: solveig,
    subject,
    text: 'The list of berths for next week is enclosed.',
    headers: { 'Authentication-Results': 'mx1.vindholm.example; dmarc=pass header.from=brygge-nett.example' },
  })
const folderOf = async (subject: string) =>
  (await stored(solveig)).filter(one => one.subject === subject).map(({ folder }) => folder)

test('from a message in Whereabouts to a rule; the next mail is filed, the journey names the rule, and it is undone', async ({
  page,
}) => {
  const [first, second, third] = [`Berths I ${serial}`, `Berths II ${serial}`, `Berths III ${serial}`]
  await mail(first)
  await expect.poll(() => folderOf(first)).toEqual(['inbox'])
  await signIn(page, 'per', `/whereabouts?to=Solveig%20Skarvik&about=${encodeURIComponent(first)}`)
  await page.getByRole('article').first().getByRole('link', { name: 'Make a mail rule' }).click()

  // It begins with the sender; what it would have done is there before it is saved.
  await expect(page.getByText('kaia.torp@brygge-nett.example', { exact: true })).toBeVisible()
  await page.getByLabel('Folder', { exact: true }).fill('Berths')
  await page.getByRole('textbox', { name: 'Name' }).fill(`Berths ${serial}`)
  await expect(page.getByText('One from the inbox to the folder Berths.')).toBeVisible()
  await page.getByRole('button', { name: 'Save the rule' }).click()
  await expect(page.getByText(`The rule “Berths ${serial}” counts from now on.`)).toBeVisible()
  await expect(page.getByRole('heading', { name: `Berths ${serial}` })).toBeVisible()

  await mail(second)
  await expect.poll(() => folderOf(second)).toEqual(['Berths'])

  // Undone in the record, the next goes where it went before.
  const base = page.url().replace(/\/mailboxes.*/, '')
  await page.goto(`${base}/record?what=mail-rules&who=everybody`)
  const line = page.getByRole('listitem').filter({ hasText: `Berths ${serial}` })
  await line.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByText('Undone.')).toBeVisible()
  await mail(third)
  await expect.poll(() => folderOf(third)).toEqual(['inbox'])

  await page.goto(`${base}/whereabouts?to=Solveig%20Skarvik&about=${encodeURIComponent(second)}`)
  const hit = page.getByRole('article').first()
  await expect(hit).toContainText('into the folder Berths')
  await expect(hit.getByRole('button', { name: `the mail rule: Berths ${serial}` })).toBeVisible()
})

test('rules are put in another order by the keyboard, seen before it is saved, and taken back', async ({
  page,
}) => {
  await signIn(page, 'oda', '/mailboxes?find=Skarvik')
  await page.getByText('Solveig Skarvik').first().click()
  await page.getByRole('link', { name: 'Order and change them' }).click()
  const names = () => page.getByRole('list').getByRole('listitem').locator('b').allTextContents()
  await expect.poll(names).toContain('2. Questions about a ship')
  const start = await names()
  await page.getByRole('button', { name: 'Move “Questions about a ship”' }).focus()
  // Each step is announced to screen readers; the next key is meant for what was said.
  await page.keyboard.press('Space')
  await expect(page.getByText(/“Questions about a ship” is at place 2 of/)).toBeAttached()
  await page.keyboard.press('ArrowUp')
  await expect(page.getByText(/“Questions about a ship” is at place 1 of/)).toBeAttached()
  await page.keyboard.press('Space')
  await expect(page.getByText('A new order, not saved yet.')).toBeVisible()
  await expect(page.getByText(/In this order .* would be elsewhere/)).toBeVisible()
  await page.getByRole('button', { name: 'Save this order' }).click()
  await expect(page.getByText('The new order is saved.')).toBeVisible()
  await expect.poll(names).toEqual(['1. Questions about a ship', '2. Fish orders', ...start.slice(2)])
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect.poll(names).toEqual(start)
})

test('the organisation’s rules are the stewards’; everybody sees what they do', async ({ page }) => {
  await signIn(page, 'per', '/mailboxes/rules')
  await expect(page.getByText('Only stewards change the rules of the organisation.')).toBeVisible()
  await page.getByRole('button', { name: /Sales .*matched/ }).click()
  await expect(page.getByRole('heading', { name: 'Sales' })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Switch it off' })).toHaveCount(0)
  await expect(page.getByText('What it did')).toBeVisible()
})
