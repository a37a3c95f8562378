import type { Page } from '@playwright/test'
import { blockFor, expect, send, signIn, stored, test } from './support.ts'

const serial = Date.now().toString(36)
const colleague = { name: 'Kari Moen', address: 'kari.moen@vindholm.example' }

/** Words of no language, another set for each message: none is like another. */
const words = (n: number) =>
  Array.from(
    { length: 40 },
    (_, i) =>
      `${'bdfgklmnprst'[(n * 7 + i) % 12]}${'aeiou'[(n + i * 3) % 5]}${'vzxwqj'[(n * i) % 6]}${String.fromCharCode(97 + (n % 26))}rn`,
  ).join(' ')

/** Nothing proves its sender and it wants its answers elsewhere: over the limit, and no more. */
const letter = (n: number, subject: string, from = `Writer <writer@morning${n}-${serial}.example>`) => ({
  from,
  to: colleague.address,
  subject,
  replyTo: `answers@elsewhere${n}-${serial}.example`,
  text: words(n),
})

/** A keyboard that counts: presses of keys, and letters of what has to be said in words. */
function keyboardOf(page: Page) {
  const counts = { presses: 0, letters: 0 }
  return {
    counts,
    press: async (...keys: string[]) => {
      for (const key of keys) await page.keyboard.press(key)
      counts.presses += keys.length
    },
    type: async (text: string) => {
      await page.keyboard.type(text)
      counts.letters += text.length
    },
  }
}

const notice = (page: Page, text: string | RegExp) =>
  page.getByRole('status').filter({ hasText: text }).last()

/** Somebody moves the pointer: the test has to fail. */
async function refusePointer(page: Page): Promise<void> {
  await page.addInitScript(() => {
    for (const kind of ['pointerdown', 'mousedown', 'touchstart'])
      addEventListener(kind, () => console.error(`${kind}: this morning is by keyboard alone`), true)
  })
}

test('a morning by keyboard alone', async ({ page, browser }) => {
  test.setTimeout(180_000)
  await refusePointer(page)
  const subjects = Array.from({ length: 20 }, (_, n) => `Morning ${serial} number ${n}`)
  for (const [n, subject] of subjects.entries()) await send(letter(n, subject))
  const board = keyboardOf(page)
  const { press, type } = board

  // Twenty messages: read, and released or discarded.
  await signIn(page, 'per', `/review?find=${encodeURIComponent(`Morning ${serial}`)}&order=oldest`)
  const heading = page.locator('[data-pane="message"] h2')
  for (const [n, subject] of subjects.entries()) {
    await expect(heading).toHaveText(subject)
    const releases = n % 2 === 0
    await press(releases ? 'r' : 'd')
    await expect(page.getByTestId('ruling-bar')).toContainText(releases ? 'Release' : 'Discard')
    await press('Enter')
    await expect(notice(page, releases ? 'released' : 'discarded')).toBeVisible()
  }
  await expect
    .poll(async () => (await stored(colleague.address)).filter(m => subjects.includes(m.subject)).length)
    .toBe(10)
  expect(board.counts).toEqual({ presses: 40, letters: 0 })

  // One domain is to be blocked for all: helpdesk asks the stewards.
  const crowd = `crowd-${serial}.example`
  await send({
    ...letter(30, `Crowded ${serial}`, `Crowd <one@${crowd}>`),
    text: 'You have won the lottery. Claim your prize of 36 million now, confidential business proposal.',
  })
  await signIn(page, 'per', `/review?find=${encodeURIComponent(`Crowded ${serial}`)}`)
  await expect(heading).toHaveText(`Crowded ${serial}`)
  await press('d', 'b', 'w', 'o')
  await expect(page.getByTestId('ruling-bar')).toContainText('all colleagues, if a steward agrees')
  await press('Enter')
  await expect(notice(page, 'The stewards have been asked.')).toBeVisible()

  // "She mailed me and I never got it": found, released, and the colleague is answered.
  const toll = `tollboden-${serial}.example`
  await blockFor(colleague.address, toll)
  await send(letter(40, `Lost parcel papers ${serial}`, `Tollboden <papers@${toll}>`))
  const before = { ...board.counts }
  await press('Control+k')
  await type(`tollboden-${serial}`)
  await expect(page.getByRole('option', { name: /tollboden/ }).first()).toBeVisible()
  await press('ArrowDown', 'Enter')
  const hit = page.getByRole('article').first()
  await expect(hit).toHaveAccessibleName(`Lost parcel papers ${serial}`)
  await press('r')
  await expect(hit.locator('[data-main]')).toBeFocused()
  await press('Enter')
  await expect(hit.getByRole('listitem').filter({ hasText: 'In the inbox' })).toBeVisible()
  await press('n')
  await expect(page.getByLabel('What they said')).toBeFocused()
  await type('papers')
  await press('Control+Enter')
  const answer = page.getByLabel('Answer to Kari Moen, by mail and on their page')
  await expect(answer).toBeFocused()
  await press('Tab', 'Enter')
  await expect(answer).toHaveValue(/Lost parcel papers|Tollboden/)
  await expect(answer).toBeFocused()
  await press('Control+Enter')
  await expect(notice(page, 'Answer sent to Kari Moen.')).toBeVisible()
  await expect
    .poll(
      async () =>
        (await stored(colleague.address)).filter(m => m.raw.includes(`Lost parcel papers ${serial}`)).length,
    )
    .toBeGreaterThanOrEqual(2)
  const found = board.counts.presses - before.presses
  expect(found).toBe(10)

  // Three senders at once, from what somebody pasted.
  await signIn(page, 'per', '/senders')
  await expect(page.getByRole('button', { name: /Add a sender/ })).toBeVisible()
  const three = [1, 2, 3].map(n => `a${n}@pasted-${serial}.example`)
  await press('a')
  await page.getByRole('textbox', { name: /Which sender/ }).fill(three.join('\n'))
  await press('Enter')
  const draft = page.getByTestId('draft')
  await expect(draft).toContainText('and 2 more')
  await expect(draft).toBeFocused()
  // Helpdesk adds for one colleague: a name and Enter choose them, and the next Enter applies.
  await press('Tab', 'Tab', 'Tab', 'Tab')
  await expect(draft.getByRole('button', { name: /^which colleague/ })).toBeFocused()
  await press('Enter')
  await expect(page.getByPlaceholder(/name/i).last()).toBeFocused()
  await type('kari moen')
  await press('Enter')
  await expect(draft).toContainText('Kari Moen')
  await expect(page.getByTestId('consequences')).not.toContainText('Counting')
  await press('Enter')
  await expect(notice(page, three[0] ?? '')).toBeVisible()

  // The steward approves, in three keys; and takes it back in the record, on its row.
  const other = await (await browser.newContext()).newPage()
  await refusePointer(other)
  const stewards = keyboardOf(other)
  await signIn(other, 'oda', '/senders')
  await expect(other.getByRole('heading', { name: 'Upkeep' })).toBeVisible()
  await stewards.press('r')
  const asked = other.getByRole('listitem').filter({ hasText: crowd })
  await expect(asked).toBeVisible()
  const cards = other.locator('[data-card]')
  await expect(cards.first()).toBeFocused()
  while (!(await asked.evaluate(card => card === document.activeElement))) await stewards.press('ArrowDown')
  await stewards.press('Enter')
  await expect(asked.locator('[data-main]')).toBeFocused()
  await stewards.press('Enter')
  await expect(notice(other, `${crowd} is blocked from now on.`)).toBeVisible()

  await signIn(other, 'oda', '/record?what=lists&who=me')
  const row = other.getByRole('listitem').filter({ hasText: crowd }).first()
  await expect(row).toBeVisible()
  await stewards.press('j')
  while (!(await row.evaluate(card => card === document.activeElement))) await stewards.press('j')
  await stewards.press('u')
  await expect(notice(other, 'Undone.')).toBeVisible()
  await other.context().close()
})
