import { expect, send, signIn, stored, test } from './support.ts'

const ingrid = 'ingrid.solvang@vindholm.example'
const kari = 'kari.moen@vindholm.example'
const serial = Date.now().toString(36)
const wanted = (n: number) => `Quiet question ${n} ${serial}`

/**
 * Nothing proves its sender, it is of another week, it wants its answers elsewhere, and its links lead to a number and to a file:
 * over the limit, whatever has been learned of words meanwhile.
 */
const letter = (subject: string, to = ingrid) => ({
  from: `Ola <ola@${subject.toLowerCase().replace(/[^a-z]/g, '')}-${serial}.example>`,
  to,
  subject,
  replyTo: `ola@answers-${serial}.example`,
  date: new Date(Date.now() - 9 * 86_400_000),
  html: `<p>Zephyrgarn vorwick ${subject}.</p>${'<p>Plimsole tarwick, dorn alvess.</p>'.repeat(60)}<p><a href="https://files.dropshelf.example/${serial}">dorn</a> <a href="http://192.0.2.55/x">www.plimsole.example</a></p>`,
})

test('Enter pressed twice rules once: the next message has to be seen first', async ({ page }) => {
  for (const n of [1, 2]) await send(letter(wanted(n)))
  await signIn(page, 'oda', `/review?find=${encodeURIComponent(`Quiet question`)}&order=newest`)
  await expect(page.locator('[data-pane="message"] h2')).toContainText(serial)
  await page.keyboard.press('d')
  const rulings: string[] = []
  page.on('request', request => request.url().endsWith('/api/rulings') && rulings.push(request.url()))
  await page.keyboard.press('Enter')
  await page.waitForTimeout(250)
  await page.keyboard.press('Enter')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('status').filter({ hasText: 'Undo' })).toBeVisible()
  expect(rulings).toHaveLength(1)
  await page.keyboard.press('u')
  await expect(page.getByRole('status').filter({ hasText: 'Undone' })).toBeVisible()
})

test('Space reads on to the end and then goes to the next message; F6 goes from pane to pane', async ({
  page,
}) => {
  await signIn(page, 'oda', '/review?days=28')
  const pane = page.locator('[data-pane="message"]')
  await expect(pane.locator('h2')).toBeVisible()
  const first = new URL(page.url()).pathname
  await expect
    .poll(async () => {
      await page.keyboard.press('Space')
      return new URL(page.url()).pathname
    })
    .not.toBe(first)
  await page.keyboard.press('k')
  await expect(page).toHaveURL(new RegExp(`${first}(\\?|$)`))
  const paneNow = () =>
    page.evaluate(() => document.activeElement?.closest('[data-pane]')?.getAttribute('data-pane'))
  const seen: unknown[] = []
  for (let i = 0; i < 4; i += 1) {
    await page.keyboard.press('F6')
    seen.push(await paneNow())
  }
  expect(seen.sort()).toEqual(['list', 'message', 'reasons', 'ruling'])
})

test('what somebody else does to the open message empties the sentence and says who', async ({
  page,
  browser,
}) => {
  const subject = `Both look ${serial}`
  await send(letter(subject))
  await signIn(page, 'oda', `/review?find=${encodeURIComponent(subject)}`)
  await expect(page.getByRole('heading', { name: subject })).toBeVisible()
  await page.keyboard.press('d')
  await expect(page.getByTestId('ruling-bar')).toContainText('Discard')
  const other = await (await browser.newContext()).newPage()
  await signIn(other, 'per', new URL(page.url()).pathname)
  await expect(other.getByRole('heading', { name: subject })).toBeVisible()
  await other.keyboard.press('d')
  await other.keyboard.press('Enter')
  await expect(other.getByRole('status').filter({ hasText: 'Discarded' }).first()).toBeVisible()
  await expect(
    page
      .getByText('Per Lund has just ruled on this message')
      .or(page.getByText(/has just ruled on this message/)),
  ).toBeVisible()
  await page.keyboard.press('Enter')
  await page.keyboard.press('Enter')
  await expect(page.getByTestId('ruling-bar')).toContainText('Leave')
  await other.context().close()
})

test('marks are listed, taken off one by one, and go with the list unless they are kept', async ({
  page,
}) => {
  const subject = `Found by itself ${serial}`
  await send(letter(subject, ingrid))
  await signIn(page, 'oda', `/review?days=28&order=oldest`)
  const heading = page.locator('[data-pane="message"] h2')
  await expect(heading).toBeVisible()
  const first = await heading.textContent()
  await page.keyboard.press('x')
  await page.keyboard.press('j')
  await expect(heading).not.toHaveText(first ?? '')
  await page.keyboard.press('x')
  const bar = page.getByTestId('ruling-bar')
  await expect(bar).toContainText(/marked message/)
  await bar.getByRole('button', { name: /^which messages/ }).click()
  const marks = page.getByRole('dialog', { name: 'which messages' })
  const all = await marks.getByRole('listitem').count()
  expect(all).toBeGreaterThan(1)
  await marks.getByRole('button', { name: 'Unmark', exact: true }).first().click()
  await expect(marks.getByRole('listitem')).toHaveCount(all - 1)
  await page.keyboard.press('Escape')
  await expect(marks).toBeHidden()
  // Another list: they are gone, said so, and can be had back.
  await page.keyboard.press('/')
  await page.keyboard.type(subject)
  await page.keyboard.press('Enter')
  await expect(page.getByText(/marks? on .* removed|mark on one message/)).toBeVisible()
  await expect(bar).not.toContainText(/marked message/)
  await page.getByRole('button', { name: 'Keep them' }).click()
  await expect(bar).toContainText(/marked message/)
})

test('the help desk blocks a sender of many colleagues: one request to the stewards, by keyboard alone', async ({
  page,
}) => {
  const subject = `To all of you ${serial}`
  const from = `Crowd <crowd@vorwick-${serial}.example>`
  for (const to of [ingrid, kari]) await send({ ...letter(subject, to), from })
  await signIn(page, 'per', `/review?find=${encodeURIComponent(subject)}`)
  await expect(page.getByRole('heading', { name: subject })).toBeVisible()
  await page.keyboard.press('d')
  await page.keyboard.press('o')
  await expect(page.getByTestId('ruling-bar')).toContainText('all 2 messages with this text')
  await page.keyboard.press('b')
  await expect(page.getByTestId('ruling-bar')).toContainText('all colleagues, if a steward agrees')
  await expect(page.getByTestId('consequences')).toContainText('No entry is made now')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('status').filter({ hasText: 'The stewards have been asked.' })).toBeVisible()
  expect((await stored(ingrid)).filter(m => m.subject === subject)).toEqual([])
  await signIn(page, 'oda', '/senders?panel=requests')
  await expect(
    page.getByRole('listitem').filter({ hasText: `crowd@vorwick-${serial}.example` }),
  ).toBeVisible()
})

test('a message in a narrow window: one pane, and a way back', async ({ page }) => {
  await page.setViewportSize({ width: 640, height: 400 })
  await signIn(page, 'oda', '/review?days=28')
  const list = page.getByRole('list', { name: 'Messages' })
  await expect(list).toBeVisible()
  await list.locator('button[data-row]').first().click()
  await expect(page.locator('[data-pane="message"] h2')).toBeVisible()
  await expect(list).toBeHidden()
  await page.getByRole('link', { name: 'Back to the list' }).click()
  await expect(list).toBeVisible()
})
