import { expect, mailboxOf, place, restoreLimits, send, signIn, stored, test } from './support.ts'

const serial = Date.now().toString(36)
const kari = 'kari.moen@vindholm.example'

/** Its sender proves nothing, and a file lies somewhere: in doubt, whatever the words. */
const letter = (subject: string) => ({
  from: `Quorl <desk@${subject.toLowerCase().replace(/[^a-z]/g, '')}-${serial}.example>`,
  to: kari,
  subject,
  html: `<p>Qarnvel ${subject.replace(/[^a-z]/gi, '')}rn: <a href="https://files.dropshelf.example/${serial}">zorn</a></p>`,
})

test.afterEach(restoreLimits)

test('a steward drags a limit, sees the mail it is about, applies it; new mail is judged by it; undone', async ({
  page,
}) => {
  await signIn(page, 'oda', '/calibration')
  await expect(page.getByRole('img', { name: /^Scores of \d/ })).toBeVisible()
  const limit = page.getByRole('slider', { name: 'Junk from' })
  await expect(limit).toHaveAttribute('aria-valuenow', '40')
  const box = await limit.boundingBox()
  if (!box) throw new Error('no handle')
  // Taken by its line, which stands out from the others’ at the same score.
  await page.mouse.move(box.x + box.width / 2, box.y + 8)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width / 2 + 420, box.y + 8, { steps: 12 })
  await page.mouse.up()
  const score = Number(await limit.getAttribute('aria-valuenow'))
  expect(score).toBeGreaterThan(80)
  await expect(page.getByText(/would have been held and .* let through/)).toBeVisible()
  const examples = page.getByRole('list', { name: 'Those that matter most' })
  await expect(examples.getByText('would come through').first()).toBeVisible()
  await expect(page.getByText(/that people called wanted, and let through/)).toContainText('calls a week')

  await page.getByLabel('Reason (for the record)').fill('We held too much')
  await page.getByRole('button', { name: 'Change it' }).click()
  const notice = page.getByRole('status').filter({ hasText: 'Undo' })
  await expect(notice).toBeVisible()
  await expect(limit).toHaveAttribute('aria-valuenow', String(score))

  const arrives = `Let through ${serial}`
  await send(letter(arrives))
  await expect.poll(async () => (await stored(kari)).some(({ subject }) => subject === arrives)).toBe(true)
  await page.goto(`${place().base}/review?states=delivered&order=newest&find=${encodeURIComponent(arrives)}`)
  await expect(page.getByRole('heading', { name: arrives })).toBeVisible()
  await expect(page.getByRole('region', { name: 'How it was decided' })).toContainText(String(score))

  // The notice has gone with the page; the record keeps the way back.
  await page.goto(`${place().base}/record?what=mailboxes&who=everybody`)
  const row = page.getByRole('listitem').filter({ hasText: 'Changed the limits of the organisation' }).first()
  await row.getByRole('button', { name: 'Undo' }).click()
  await expect(row.getByText('undone')).toBeVisible()
  await page.goto(`${place().base}/calibration`)
  await expect(limit).toHaveAttribute('aria-valuenow', '40')

  const held = `Held again ${serial}`
  await send(letter(held))
  await page.goto(`${place().base}/review?find=${encodeURIComponent(held)}`)
  await expect(page.getByRole('heading', { name: held })).toBeVisible()
})

test('costs are said in words and lead to limits; the keyboard moves them; an observer only reads', async ({
  page,
}) => {
  await signIn(page, 'oda', '/calibration?days=90')
  await expect(page.getByText(/Cheapest at/)).toBeVisible()
  await page.getByRole('slider', { name: 'Cost of a held wanted message' }).press('End')
  await expect(page.getByText(/costs as much as 200 junk messages/)).toBeVisible()
  await page.getByRole('button', { name: 'Try these limits' }).click()
  await expect(page.getByText('These are the limits you have.')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Change it' })).toBeVisible()
  await page.getByRole('button', { name: 'Leave it as it is' }).click()
  const limit = page.getByRole('slider', { name: 'Near-certain from' })
  await limit.focus()
  const before = Number(await limit.getAttribute('aria-valuenow'))
  await limit.press('PageUp')
  await expect(limit).toHaveAttribute('aria-valuenow', String(Math.min(100, before + 5)))

  await page.context().clearCookies()
  await signIn(page, 'una', '/calibration')
  await expect(page.getByText(/Stewards move the limits/)).toBeVisible()
  await expect(page.getByRole('slider', { name: 'Quarantined from' })).toHaveAttribute(
    'aria-disabled',
    'true',
  )
  await expect(page.getByRole('button', { name: 'Try these limits' })).toHaveCount(0)
})

test('weights set by hand: what they would have come to, applied, told in the record, undone', async ({
  page,
}) => {
  await signIn(page, 'oda', '/calibration')
  const card = page
    .locator('section')
    .filter({ has: page.getByRole('heading', { name: 'What evidence weighs' }) })
  await expect(card).toContainText('All are as shipped.')
  // One at least that the change is about.
  await send(letter(`Weighed before ${serial}`))
  await card.getByRole('button', { name: 'Set them by hand' }).click()
  const weight = card.getByRole('spinbutton', { name: /^Weight of “Link to a file-sharing site”/ })
  await weight.fill('9')
  // Held to where it may be.
  await expect(weight).toHaveValue('1.85')
  await weight.fill('0')
  await card.getByRole('spinbutton', { name: /^Weight of “New, unproven, and odd”/ }).fill('0')
  await expect(card.getByText(/would have been held and .* let through/)).toBeVisible()
  await card.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'Undo' })).toBeVisible()
  await expect(card).toContainText('2 differ from what was shipped. Last changed by Oda Rask')

  const subject = `Weighed less ${serial}`
  await send(letter(subject))
  await expect.poll(async () => (await stored(kari)).some(one => one.subject === subject)).toBe(true)

  await page.goto(`${place().base}/record?what=mailboxes&who=everybody`)
  const row = page.getByRole('listitem').filter({ hasText: 'Changed the weights of evidence' }).first()
  await expect(row).toContainText('Link to a file-sharing site +0.00')
  await row.getByRole('button', { name: 'Undo' }).click()
  await expect(row.getByText('undone')).toBeVisible()
  await page.goto(`${place().base}/calibration`)
  await expect(card).toContainText('All are as shipped.')
  await expect(card.getByRole('checkbox')).not.toBeChecked()
})

test('a department is only watched: its mail goes on and says what would have been; then like the others again', async ({
  page,
}) => {
  await signIn(page, 'oda', '/mailboxes/defaults')
  const { department } = await mailboxOf(kari)
  const choice = page.getByRole('combobox', { name: `Hold back or watch in ${department}` })
  await choice.selectOption('only watch')
  await expect(page.getByText(/would have been held and .* let through/)).toBeVisible()
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'Undo' })).toBeVisible()

  const subject = `Only watched ${serial}`
  await send(letter(subject))
  await expect.poll(async () => (await stored(kari)).some(one => one.subject === subject)).toBe(true)
  await page.goto(`${place().base}/review?states=delivered&order=newest&find=${encodeURIComponent(subject)}`)
  await expect(page.getByRole('region', { name: 'How it was decided' })).toContainText(
    'Only watching, so it goes on: it would have been quarantined',
  )
  await page.goto(`${place().base}/calibration?department=${encodeURIComponent(department)}`)
  await expect(page.getByText('Nothing but harm is held back for now.')).toBeVisible()
  await page.goto(`${place().base}/digests/${(await mailboxOf(kari)).id}`)
  await expect(page.getByText(/would be kept back if mail were not only watched/)).toBeVisible()

  await page.goto(`${place().base}/mailboxes/defaults`)
  await choice.selectOption('as the organisation')
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'Undo' })).toBeVisible()
})
