import { blockFor, expect, send, signIn, stored, test } from './support.ts'

const serial = Date.now().toString(36)
const kari = 'kari.moen@vindholm.example'
const domain = `tollhus-${serial}.example`

/** Where a blocked sender's mail goes is each mailbox's own choice. */
const keptBack = /Quarantined|Junk folder/
const toInbox = /Release to Kari Moen|Deliver it to Kari Moen anyway/

const mail = (subject: string, local = 'kasse') =>
  send({
    from: `Tollhuset Vikane <${local}@${domain}>`,
    to: kari,
    subject,
    text: `${subject}. Quittance enclosed.`,
    headers: { 'Authentication-Results': `mx1.vindholm.example; dmarc=pass header.from=${domain}` },
  })

test('a whole call: enquiry by phone, question, journey, release with the sender made safe, answer, closed', async ({
  page,
  context,
}) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write'])
  await blockFor(kari, domain)
  await mail(`Tollkvittering ${serial}`)
  await signIn(page, 'per', '/whereabouts')

  // the colleague is on the phone: what she says goes into the blanks, Enter looks
  await page.getByLabel('from whom').fill('tolhuset vikane')
  await page.getByLabel('to whom').fill('kari moen')
  await page.getByLabel('about what').fill(`tollkvittering ${serial}`)
  await page.getByLabel('sent around when').fill('today')
  await page.getByLabel('sent around when').press('Enter')
  const hit = page.getByRole('article', { name: `Tollkvittering ${serial}`, exact: true })
  await expect(hit.getByRole('heading')).toHaveText(`Tollkvittering ${serial}`)
  await expect(hit.getByRole('listitem').filter({ hasText: keptBack })).toContainText(
    `decided by the entry ${domain}`,
  )
  await expect(hit.getByRole('listitem').filter({ hasText: 'Kept until' })).toContainText('unless released')

  const said = `The receipt ${serial} from the customs house.`
  await page.getByRole('button', { name: 'New enquiry' }).click()
  await page.getByRole('button', { name: /^choose a colleague/ }).click()
  await page
    .getByPlaceholder(/colleague|name/i)
    .last()
    .fill('Kari Moen')
  await page.getByRole('option', { name: /Kari Moen/ }).click()
  await page.getByLabel('What they said').fill(said)
  await page.getByRole('button', { name: 'Open the enquiry' }).click()
  const enquiries = page.getByRole('complementary', { name: 'Enquiries' })
  // Not in the form, which closes, nor in the list, but in the enquiry that opens.
  await expect(enquiries.getByRole('paragraph').filter({ hasText: said })).toBeVisible()
  await hit.getByRole('button', { name: 'This is the message' }).click()
  await expect(enquiries.getByRole('link', { name: `Tollkvittering ${serial}` })).toBeVisible()

  // released, and the next one gets through
  await hit.getByRole('button', { name: /^future mail from this sender/ }).click()
  await page.getByRole('option', { name: 'safe for Kari Moen' }).click()
  await hit.getByRole('button', { name: toInbox }).click()
  await expect(hit.getByRole('listitem').filter({ hasText: 'In the inbox' })).toBeVisible()
  await expect
    .poll(
      async () =>
        (await stored(kari)).filter(m => m.subject === `Tollkvittering ${serial}` && m.folder === 'inbox')
          .length,
    )
    .toBe(1)
  await hit.getByRole('button', { name: 'Copy an explanation' }).click()
  const told = `Meldingen «Tollkvittering ${serial}» fra Tollhuset Vikane`
  await expect(page.getByText(told)).toBeVisible()
  expect(await page.evaluate(() => navigator.clipboard.readText())).toContain(told)

  // the answer, in her language, and the enquiry is closed
  await enquiries.getByRole('button', { name: 'where the message is' }).click()
  await expect(enquiries.getByLabel('Answer to Kari Moen, by mail and on their page')).toHaveValue(
    /gikk til innboksen din/,
  )
  await enquiries.getByRole('button', { name: 'Send to Kari Moen' }).click()
  await expect(page.getByText('Answer sent to Kari Moen.')).toBeVisible()
  await expect(enquiries.getByText('In their mailbox; not opened on their page yet.')).toBeVisible()
  await expect
    .poll(
      async () =>
        (await stored(kari)).filter(
          ({ raw }) => raw.includes('gikk til innboksen din') && raw.includes(serial),
        ).length,
    )
    .toBe(1)
  await enquiries.getByRole('button', { name: 'All enquiries' }).click()
  await expect(
    enquiries.getByRole('button', { name: new RegExp(`found Kari Moen .* ${said}`) }),
  ).toBeVisible()
  await mail(`Tollkvittering to ${serial}`)
  await expect
    .poll(async () => (await stored(kari)).find(m => m.subject === `Tollkvittering to ${serial}`)?.folder)
    .toBe('inbox')

  // what came meanwhile fits as well, and stands below what is being read
  await expect(page.getByRole('article', { name: `Tollkvittering to ${serial}` })).toBeVisible()
  await expect(page.getByRole('article').first()).toHaveAccessibleName(`Tollkvittering ${serial}`)

  // the account of it prints on a page of its own
  await hit.getByRole('link', { name: 'Full account' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(`Tollkvittering ${serial}`)
  await expect(page.getByRole('row', { name: /Release requested by Per/ })).toBeVisible()
})

test('what happens to a message shows in a second browser, and what an enquiry waits for is told', async ({
  page,
  browser,
}) => {
  const other = `fyr-${serial}.example`
  await blockFor(kari, other)
  const letter = (subject: string) =>
    send({
      from: `Fyrvakten <vakt@${other}>`,
      to: kari,
      subject,
      text: subject,
      headers: { 'Authentication-Results': `mx1.vindholm.example; dmarc=pass header.from=${other}` },
    })
  await letter(`Lyktebytte ${serial}`)
  await signIn(page, 'per', `/whereabouts?from=${other}`)
  await expect(page.getByRole('article').first()).toContainText(keptBack)

  const second = await (await browser.newContext()).newPage()
  await signIn(second, 'oda', `/whereabouts?from=${other}`)
  await second.getByRole('article').first().getByRole('button', { name: toInbox }).click()
  // nobody touches the first
  await expect(
    page.getByRole('article').first().getByRole('listitem').filter({ hasText: 'In the inbox' }),
  ).toBeVisible()

  await second.getByRole('button', { name: 'New enquiry' }).click()
  await second.getByRole('button', { name: /^choose a colleague/ }).click()
  await second
    .getByPlaceholder(/colleague|name/i)
    .last()
    .fill('Kari Moen')
  await second.getByRole('option', { name: /Kari Moen/ }).click()
  await second.getByLabel('What they said').fill(`The second letter ${serial}`)
  await second.getByRole('button', { name: 'Open the enquiry' }).click()
  await expect(second.getByText('Oda Rask is working on it.')).toBeVisible()
  await letter(`Lyktebytte igjen ${serial}`)
  await expect(
    page.getByRole('complementary', { name: 'Enquiries' }).getByRole('button', {
      name: new RegExp(`The second letter ${serial}.*One matching message has come in since`),
    }),
  ).toBeVisible()
  await expect(second.getByRole('link', { name: `Lyktebytte igjen ${serial}` })).toBeVisible()
  await second.context().close()
})

test('moved by a mail rule: which one, what it does, switched off before the next; back to the inbox', async ({
  page,
}) => {
  const aksel = 'aksel.brandt@vindholm.example'
  const forecast = (ship: string) =>
    send({
      from: 'Forecast room <forecast@havbris.example>',
      to: aksel,
      subject: `Route forecast ${ship} ${serial}`,
      text: `Wind and sea for ${ship}: south-westerly 20 knots, sea 2 metres.`,
      headers: { 'Authentication-Results': 'mx1.vindholm.example; dmarc=pass header.from=havbris.example' },
    })
  const folders = async (ship: string) =>
    (await stored(aksel))
      .filter(({ subject }) => subject.includes(`${ship} ${serial}`))
      .map(({ folder }) => folder)
  await forecast('Lomvi')
  await expect.poll(() => folders('Lomvi')).toEqual(['Weather'])

  await signIn(page, 'per', `/whereabouts?from=havbris&to=Aksel%20Brandt&about=Lomvi%20${serial}`)
  const first = page.getByRole('article').first()
  await expect(first).toContainText('Moved to a folder')
  await expect(first).toContainText('into the folder Weather')
  await first.getByRole('button', { name: 'the mail rule: Forecasts' }).click()
  await expect(
    page.getByText(
      'When the sender is “forecast@havbris.example” and the subject contains “route forecast”: let it in, whatever its score and file it in Weather.',
    ),
  ).toBeVisible()
  await expect(
    page.getByText(
      /Without it \d+ messages of the last 30 days would be elsewhere\. \d+ from the folder Weather to the inbox/,
    ),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Switch it off' }).click()
  await expect(page.getByText('The mail rule “Forecasts” is off.')).toBeVisible()
  await forecast('Terne')
  await expect.poll(() => folders('Terne')).toEqual(['inbox'])
  await first.getByRole('button', { name: 'the mail rule: Forecasts' }).click()
  await page.getByRole('button', { name: 'Switch it on' }).click()
  await expect(page.getByText('The mail rule “Forecasts” is on.')).toBeVisible()

  // His mail program leaves the folder out: put back, and kept so, as one act with one undo.
  await expect(first).toContainText('their mail program does not fetch that folder')
  await first.getByRole('button', { name: /^future mail from this sender/ }).click()
  await page.getByText('always in the inbox').click()
  await expect(first).toContainText(
    'A mail rule is made: When the sender is “forecast@havbris.example”: put it in the inbox.',
  )
  await expect(first).toContainText(/It would have moved \d+ messages of the last 30 days/)
  await first.getByRole('button', { name: 'Put a copy in the inbox of Aksel Brandt' }).click()
  await expect.poll(() => folders('Lomvi')).toEqual(['Weather', 'inbox'])
  await expect(first).toContainText('In the inbox')
  await forecast('Alke')
  await expect.poll(() => folders('Alke')).toEqual(['inbox'])
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByText(/^Undone/)).toBeVisible()
  await forecast('Havella')
  await expect.poll(() => folders('Havella')).toEqual(['Weather'])
})

test('refused at the door, nothing at all, and a time that is none: each is answered', async ({ page }) => {
  await signIn(page, 'una', `/whereabouts`)
  const look = async (from: string, when = '') => {
    await page.getByLabel('from whom').fill(from)
    await page.getByLabel('sent around when').fill(when)
    await page.getByLabel('from whom').press('Enter')
  }
  await look('brinemark-yard.example')
  await expect(page.getByRole('article').first()).toContainText('Refused on arrival')
  await expect(page.getByRole('article').first()).toContainText('the message is too large for the mail store')
  await look('holmfjord-tau.example')
  await expect(page.getByText(/holmfjord-tau\.example has sent nothing since/)).toBeVisible()
  await look('holmfjord-tau.example', '31.2.')
  await expect(page.getByText('There is no such day: “31.2.”.')).toBeVisible()
})

test('anything is found by typing: Ctrl+K, a name, Enter', async ({ page }) => {
  await signIn(page, 'per', '/review')
  await page.keyboard.press('Control+k')
  await page.keyboard.type('halyard print')
  const list = page.getByRole('listbox')
  await expect(list.getByRole('option').filter({ hasText: 'Senders' }).first()).toBeVisible()
  await list.getByRole('option').filter({ hasText: 'Senders' }).first().click()
  await expect(page).toHaveURL(/\/whereabouts\?from=/)
  await expect(page.getByRole('article').first()).toContainText(/halyard-print/)
})

test('what can be done is found by typing, too; what somebody may not do is not offered', async ({
  page,
}) => {
  await signIn(page, 'per', '/review')
  const find = async (text: string) => {
    await page.keyboard.press('Control+k')
    await page.keyboard.type(text)
  }
  const option = (name: string) => page.getByRole('option', { name })
  await find('new enq')
  await option('Open a new enquiry').click()
  await expect(page).toHaveURL(/enquiry=new/)
  await expect(page.getByLabel('What they said')).toBeVisible()
  await page.getByRole('button', { name: 'Close', exact: true }).click()
  await expect(page.getByLabel('What they said')).toBeHidden()
  await find('alw dar')
  await option('Always dark').click()
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'dark')
  await find('what i did')
  await option('What I did today').click()
  await expect(page).toHaveURL(/\/record\?who=me/)

  await page.context().clearCookies()
  await signIn(page, 'una', '/review')
  await find('new enq')
  await expect(option('Search kept-back mail for “new enq”')).toBeVisible()
  await expect(option('Open a new enquiry')).toHaveCount(0)
})

test('a list by exact filters stands in the address, and is kept for next time', async ({ page }) => {
  await signIn(page, 'per', '/whereabouts')
  await page.getByRole('link', { name: 'List mail with exact filters' }).click()
  await page.getByRole('button', { name: /^in which state/ }).click()
  await page.getByRole('option', { name: 'sealed', exact: true }).click()
  await expect(page.getByRole('row').nth(1)).toContainText('sealed')
  await expect(page).toHaveURL(/state=sealed/)
  const first =
    (await page.getByRole('row').nth(1).getByRole('cell').nth(1).innerText()).split('\n').at(-1) ?? ''
  await page.getByLabel('senders to leave out').fill(first)
  await expect(page.getByRole('row').filter({ hasText: first })).toHaveCount(0)
  await page.getByRole('button', { name: 'Save these filters' }).click()
  await page.getByRole('button', { name: 'Clear the filters' }).click()
  await expect(page).not.toHaveURL(/state=/)
  await page.getByRole('button', { name: 'Use my saved filters' }).click()
  await expect(page.getByLabel('senders to leave out')).toHaveValue(first)
})
