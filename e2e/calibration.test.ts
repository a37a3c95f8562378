import { expect, place, restoreLimits, send, signIn, stored, test } from './support.ts'

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
