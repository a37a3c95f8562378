import { expect, mailboxOf, send, signIn, test } from './support.ts'

test('a steward drags a limit and sees the mail it is about; it is changed, in the record, and taken back', async ({
  page,
}) => {
  const to = 'kari.moen@vindholm.example'
  // One at least that the limit is about: its sender is new, and nothing else is to be said of it.
  const serial = Date.now().toString(36)
  await send({ from: `desk@plain${serial}.example`, to, subject: `Plain ${serial}`, text: 'Qarnvel zorn.' })
  await signIn(page, 'oda', `/mailboxes/${(await mailboxOf(to)).id}`)
  const junk = page.getByRole('slider', { name: 'Junk from' })
  await junk.focus()
  const name = (await page.getByRole('heading', { level: 2 }).first().textContent()) ?? ''
  const before = Number(await junk.getAttribute('aria-valuenow'))
  // Far to the left: whatever came in that is not plainly wanted would be held.
  const box = await junk.boundingBox()
  const arc = await page.getByRole('group', { name: /Limits on the arc/ }).boundingBox()
  if (!box || !arc) throw new Error('nothing drawn')
  await page.mouse.move(box.x + box.width / 2, box.y + box.height - 10)
  await page.mouse.down()
  await page.mouse.move(arc.x + arc.width * 0.13, arc.y + arc.height * 0.35, { steps: 6 })
  await page.mouse.up()
  const after = Number(await junk.getAttribute('aria-valuenow'))
  expect(after).toBeLessThan(before)
  await expect(
    page.getByText(/Of \d+ messages of the last 30 days, \d+ more would have been held/),
  ).toBeVisible()
  const examples = page.getByRole('list', { name: 'Those that matter most' }).getByRole('link')
  await expect(examples.first()).toBeVisible()
  await page.getByLabel('Reason (for the record)').fill('Too much came through')
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByText(`Changed for ${name}.`)).toBeVisible()

  await page.getByRole('link', { name: 'What the record says' }).click()
  const line = page.getByRole('listitem').filter({ hasText: 'Changed the limits of' }).first()
  await expect(line).toContainText('Too much came through')
  await line.getByRole('button', { name: 'Undo' }).click()
  await expect(line.getByText('undone')).toBeVisible()
  await line.getByRole('link', { name }).click()
  await expect(page.getByRole('slider', { name: 'Junk from' })).toHaveAttribute(
    'aria-valuenow',
    String(before),
  )
})

test('a time away is entered with what it holds shown before; digests wait; taken back by the notice', async ({
  page,
}) => {
  const subject = `Away ${Date.now().toString(36)}`
  await send({ from: 'deals@parcels-late.example', to: 'kari.fjellro@vindholm.example', subject })
  await signIn(page, 'per', '/mailboxes?find=kari.fjellro')
  await page.getByRole('list', { name: 'Mailboxes' }).getByRole('button').first().click()
  await page.getByRole('button', { name: 'Enter a time away' }).click()
  const dialog = page.getByRole('dialog')
  const day = (from: number) => new Date(Date.now() + from * 86_400_000).toISOString().slice(0, 10)
  await dialog.getByLabel('First day away').fill(day(-2))
  await dialog.getByRole('textbox', { name: 'Back on' }).fill(day(-5))
  await expect(dialog.getByRole('button', { name: 'Change it' })).toBeDisabled()
  await dialog.getByRole('textbox', { name: 'Back on' }).fill(day(20))
  await expect(dialog.getByText(/that (?:is|are) kept now stays? longer/)).toBeVisible()
  await dialog.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByText('Digests wait; the first after the return tells all that came.')).toBeVisible()
  await expect(page.getByRole('list', { name: 'Mailboxes' })).toContainText('away until')
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByText('No time away is entered.')).toBeVisible()
})

test('by the keyboard: down the list, a limit moved by arrows, left as it is; an observer moves nothing', async ({
  page,
}) => {
  await signIn(page, 'per', '/mailboxes')
  await page.getByRole('list', { name: 'Mailboxes' }).getByRole('button').first().waitFor()
  await page.keyboard.press('j')
  await page.keyboard.press('j')
  await expect(page).toHaveURL(/mailboxes\/\d+/)
  const limit = page.getByRole('slider', { name: 'Near-certain from' })
  await limit.focus()
  const before = await limit.getAttribute('aria-valuenow')
  await page.keyboard.press('PageUp')
  await page.keyboard.press('ArrowRight')
  await expect(limit).toHaveAttribute('aria-valuenow', String(Number(before) + 6))
  await page.getByRole('button', { name: 'Leave it as it is' }).click()
  await expect(limit).toHaveAttribute('aria-valuenow', before ?? '')
  await signIn(page, 'una', new URL(page.url()).pathname)
  await expect(page.getByRole('slider', { name: 'Near-certain from' })).toHaveAttribute(
    'aria-disabled',
    'true',
  )
  await expect(page.getByRole('button', { name: 'Enter a time away' })).toHaveCount(0)
})

test('contacts of a mailbox: looked at, brought in, taken back by the notice', async ({ page }) => {
  const { id } = await mailboxOf('kari.moen@vindholm.example')
  await signIn(page, 'per', `/mailboxes/${id}`)
  const card = page.locator('section').filter({ has: page.getByRole('heading', { name: 'Contacts' }) })
  await expect(card).toContainText('No contacts have been brought in.')
  const lines = [
    'BEGIN:VCARD',
    'VERSION:4.0',
    'FN:Anna',
    'EMAIL:anna@contact.example',
    'EMAIL:no address',
    'END:VCARD',
  ]
  await card.getByLabel('File with contacts').setInputFiles({
    name: 'book.vcf',
    mimeType: 'text/vcard',
    buffer: Buffer.from(lines.join('\r\n')),
  })
  await expect(card).toContainText('book.vcf: 1 new, 0 here already.')
  await expect(card.getByText('One line names no address')).toBeVisible()
  await card.getByRole('button', { name: 'Add one contact' }).click()
  await expect(card).toContainText('One contact.')
  await page
    .getByRole('status')
    .filter({ hasText: 'One contact was added.' })
    .getByRole('button', { name: 'Undo' })
    .click()
  await expect(card).toContainText('No contacts have been brought in.')
})
