import { expect, giveReason, place, send, signIn, stored, test } from './support.ts'

const serial = Date.now().toString(36)
const frauke = 'frauke.priewall@vindholm.example'

test('a false positive: too wide, the harm is shown; the narrower pattern is offered, taken, and works', async ({
  page,
}) => {
  const letter = (from: string, text: string, subject: string) => ({
    from,
    to: frauke,
    subject,
    replyTo: 'answers@elsewhere.example',
    date: new Date(Date.now() - 9 * 86_400_000),
    html: `<p>${text}: <a href="http://192.0.2.55/d">www.gjestebrygga.example/liste</a></p>`,
    headers: {
      'Authentication-Results':
        'mx1.vindholm.example; dkim=pass header.d=gjestebrygga.example; dmarc=pass header.from=gjestebrygga.example',
    },
  })
  // Of the same domain, and clearly junk: an imitation of our own.
  await send({
    ...letter('Barrister <booking@gjestebrygga.example>', 'Claim', `Prize ${serial}`),
    html: `<p>Claim: <a href="http://192.0.2.55/d">www.gjestebrygga.example/prize</a> <a href="http://vindh0lm.example/x">here</a></p><div style="display:none">${'unseen '.repeat(9)}</div>`,
  })
  // Held whatever the demo’s own staff has ruled on its sender, and whatever has been learned of words by now.
  const kaiplan = letter(
    'Havnevakt Gjestebrygga <havnevakt@gjestebrygga.example>',
    'Vorwick dornalt',
    `Kaiplan ${serial}`,
  )
  await send({
    ...kaiplan,
    html: `${kaiplan.html}<p><a href="https://files.dropshelf.example/${serial}">dorn</a> <a href="http://xn--kyst-3qa.example/d">narvost</a></p><div style="display:none">${'unseen '.repeat(9)}</div>`,
  })
  await signIn(page, 'oda', '/review?find=kaiplan&days=28&order=newest')
  await page
    .getByRole('list', { name: 'Messages' })
    .getByRole('button', { name: /Havnevakt Gjestebrygga/ })
    .first()
    .click()
  // Its own sheet has to be there: a sentence begun for one message is not carried over to the next.
  await expect(page.getByRole('article')).toContainText('havnevakt@gjestebrygga.example')
  await page.keyboard.press('r')
  await page.keyboard.press('s')
  await expect(page.getByRole('button', { name: /^for whom/ })).toBeVisible()
  await page.keyboard.press('w')
  await expect(page.getByTestId('ruling-bar')).toContainText('gjestebrygga.example')
  await page.getByRole('button', { name: /^for whom/ }).click()
  await page.getByRole('option', { name: /all colleagues/ }).click()

  // the whole domain would let in what nobody wants
  const consequences = page.getByTestId('consequences')
  await expect(consequences).toContainText(/[1-9]\d* harmful/)
  await expect(consequences).toContainText('*.gjestebrygga.example')
  const harmful = async () =>
    Number(/let through [^.]*?(\d+) harmful/.exec((await consequences.textContent()) ?? '')?.[1] ?? 0)
  // Of everybody, no longer of one colleague: read when it has come to rest.
  let wide = 0
  await expect
    .poll(
      async () => {
        const before = wide
        wide = await harmful()
        return wide > 0 && wide === before
      },
      { intervals: [1000] },
    )
    .toBe(true)
  const offered = page.getByTestId('offered-pattern')
  await expect(offered).toHaveText('havnevakt@gjestebrygga.example')
  await offered.click()
  await expect(page.getByTestId('ruling-bar')).toContainText('havnevakt@gjestebrygga.example')
  // What the narrower one lets through of harm is less, and stands first in the sentence.
  await expect.poll(harmful).toBeLessThan(wide)
  await page.keyboard.press('Enter')
  const said = page
    .getByRole('status')
    .filter({ hasText: 'havnevakt@gjestebrygga.example is safe from now on' })
  // Near-certain or in doubt: that depends on what has been learned of words by now. A reason is asked for the one.
  const why = page.getByRole('dialog', { name: 'reason' })
  await expect(said.or(why)).toBeVisible()
  if (await why.isVisible()) {
    await giveReason(page, 'the harbour watch writes from there')
    await page.keyboard.press('Enter')
  }
  await expect(said).toContainText('Released.')

  // the next one, over SMTP, goes to the inbox; from the other account it does not
  const subject = `Kailiste ${serial}`
  await send(letter('Havnevakt <havnevakt@gjestebrygga.example>', 'Zephyrgarn plimsole', subject))
  await send(
    letter(
      'Barrister <booking@gjestebrygga.example>',
      'You have won the lottery. Claim the inheritance of 78 million, a confidential business proposal',
      subject,
    ),
  )
  await expect
    .poll(async () => (await stored(frauke)).filter(m => m.subject === subject).map(({ folder }) => folder))
    .toEqual(['inbox'])
  await page.goto(`${place().base}/review?states=delivered&order=newest&find=${encodeURIComponent(subject)}`)
  const path = page.getByRole('region', { name: 'How it was decided' })
  const entry = path.getByRole('link', { name: 'havnevakt@gjestebrygga.example' })
  await expect(entry).toBeVisible()

  // the path leads to the entry, and the entry to its message
  await entry.click()
  await expect(page).toHaveURL(/\/senders\/\d+/)
  const sheet = page.getByRole('region', { name: 'havnevakt@gjestebrygga.example' })
  await expect(sheet).toContainText('kept by the organisation')
  await expect(sheet.getByRole('link', { name: subject })).toBeVisible()
})

test('add by keyboard, change, end, undo; the question tells what it comes to', async ({ page }) => {
  const sender = `desk@pier-${serial}.example`
  await signIn(page, 'oda', '/senders')
  const question = page.getByTestId('question')
  await expect(question).toBeVisible()
  await page.keyboard.press('a')
  await page.getByRole('textbox', { name: /Which sender/ }).waitFor()
  await page.keyboard.type(sender)
  await page.keyboard.press('Enter')
  const draft = page.getByTestId('draft')
  await expect(draft.getByTestId('consequences')).toContainText('would have changed nothing')
  await page.getByRole('button', { name: 'Apply' }).click()
  await expect(page.getByRole('status').filter({ hasText: `${sender} is safe from now on` })).toBeVisible()

  // from the palette: would it reach somebody?
  await page.keyboard.press('/')
  await page.keyboard.type(sender)
  await page.getByRole('option', { name: /Would mail from/ }).click()
  await question.getByRole('button', { name: /whose mail/ }).click()
  await page.keyboard.type('Ingrid Solvang')
  await page.getByRole('option', { name: /^Ingrid Solvang/ }).click()
  await expect(question).toContainText(/Yes, because the organisation’s entry .* is safe/)
  await question.getByRole('button', { name: /whether its sender is proven/ }).click()
  await page.getByRole('option', { name: 'if nothing proves its sender' }).click()
  await expect(question).toContainText('because of its junk score')
  await question.getByRole('button', { name: 'Show every check' }).click()
  await expect(page.getByText('nothing proves', { exact: false }).first()).toBeVisible()
  await page.keyboard.press('Escape')

  // change it to blocked: what contradicts ends with it
  await page.goto(`${place().base}/senders?find=pier-${serial}`)
  await page.getByRole('button', { name: new RegExp(`^${sender}`) }).click()
  await page.getByRole('region', { name: sender }).waitFor()
  await page.keyboard.press('c')
  await page.getByRole('button', { name: /^safe or blocked/ }).click()
  await page.getByRole('option', { name: /^blocked/ }).click()
  await page.getByRole('button', { name: 'Apply' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'is blocked from now on' })).toContainText(
    'One entry ended.',
  )
  await expect(page.getByRole('list', { name: 'Sender entries' }).getByRole('listitem')).toHaveCount(1)
  await page.getByRole('status').getByRole('button', { name: 'Undo' }).click()
  // The row of before is gone, too: what it names has ended, and can't be ended again.
  await expect(page.getByRole('status').filter({ hasText: 'Undone' })).toBeVisible()
  const rows = page.getByRole('list', { name: 'Sender entries' }).getByRole('listitem')
  await expect(rows.filter({ hasText: 'blocked' })).toHaveCount(0)
  await expect(rows.filter({ hasText: 'safe' })).toHaveCount(1)

  // ended entries can be found, and restored
  await page.getByRole('button', { name: new RegExp(`^${sender}`) }).click()
  await page.getByRole('region', { name: sender }).waitFor()
  await page.keyboard.press('e')
  await expect(page.getByTestId('draft').getByRole('button', { name: 'Apply' })).toBeEnabled()
  await page.keyboard.press('Enter')
  await expect(page.getByText('No matching entries')).toBeVisible()
  await page.goto(`${place().base}/senders?state=ended&find=pier-${serial}&order=newest`)
  await page
    .getByRole('list', { name: 'Sender entries' })
    .getByRole('button', { name: new RegExp(`^${sender}`) })
    .last()
    .click()
  await page.getByRole('button', { name: 'Restore it' }).click()
  await page.getByRole('button', { name: 'Apply' }).click()
  await page.goto(`${place().base}/senders?find=pier-${serial}`)
  await expect(page.getByRole('list', { name: 'Sender entries' }).getByRole('listitem')).toHaveCount(1)
})

test('upkeep: what is covered is tidied in one act that the replay proves, and comes back by undo', async ({
  page,
}) => {
  await signIn(page, 'oda', '/senders')
  const upkeep = page.getByRole('region', { name: 'Upkeep' })
  await upkeep.getByRole('button', { name: 'Tidy: already covered' }).click()
  await page.getByRole('button', { name: /^Tidy all/ }).click()
  const remedy = page.getByTestId('remedy')
  await expect(remedy).toContainText('bunker@fjordfuel.example')
  await expect(remedy).toContainText('this would have changed nothing')
  await remedy.getByRole('button', { name: 'Apply' }).click()
  const notice = page.getByRole('status').filter({ hasText: 'entries ended' })
  await expect(notice).toBeVisible()
  await expect(page.getByText('Nothing of that kind')).toBeVisible()
  await notice.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByRole('link', { name: 'bunker@fjordfuel.example' })).toBeVisible()
})

test('a list is brought in: every line has its answer, all of it is one undo', async ({ page }) => {
  await signIn(page, 'oda', '/senders/bring-in')
  await page.getByLabel('The file with the list').setInputFiles({
    name: 'old-desk.txt',
    mimeType: 'text/plain',
    buffer: Buffer.from(
      `Nell <nell@quay-${serial}.example>,\nfjordfuel.example\nblocked fjordfuel.example\ntwo words\nfreepost.example\n`,
    ),
  })
  await expect(page.getByText('Plain text, 5 lines. Nothing has been added yet.')).toBeVisible()
  await expect(page.getByRole('region', { name: 'Lines' })).toContainText('“two words” is not a domain')
  await expect(page.getByRole('region', { name: 'Lines' })).toContainText('Anyone can have an address')
  await page.getByRole('button', { name: /is added/ }).click()
  await expect(page.getByRole('region', { name: 'Lines' })).toContainText(`nell@quay-${serial}.example`)
  await page.getByRole('button', { name: 'Add the entry' }).click()
  await page.getByRole('button', { name: 'See the entries' }).click()
  await expect(page.getByRole('list', { name: 'Sender entries' })).toContainText(
    `nell@quay-${serial}.example`,
  )
  await page.getByRole('link', { name: 'Record', exact: true }).click()
  await page.goto(`${place().base}/record?what=lists`)
  const line = page.getByRole('listitem').filter({ hasText: 'old-desk.txt' }).first()
  await line.getByRole('button', { name: 'Undo' }).click()
  await page.goto(`${place().base}/senders?find=quay-${serial}`)
  await expect(page.getByText('No matching entries')).toBeVisible()
})

test('helpdesk asks for everybody; a steward sees it at once, and decides with its reach', async ({
  browser,
  page,
}) => {
  await signIn(page, 'oda', '/senders')
  const other = await (await browser.newContext()).newPage()
  await signIn(other, 'per', '/senders?find=letter%40ferryletter')
  await other.getByRole('button', { name: /^letter@ferryletter/ }).click()
  await other.getByRole('button', { name: 'Ask to make it for everybody' }).click()
  await other.getByLabel('Why all colleagues need it').fill(`All of us ${serial}`)
  await other.keyboard.press('Enter')
  await expect(other.getByRole('status').filter({ hasText: 'The stewards have your request' })).toBeVisible()

  // live, without a reload
  const upkeep = page.getByRole('region', { name: 'Upkeep' })
  await upkeep.getByRole('button', { name: /Decide: requests? for all colleagues/ }).click()
  const request = page.getByRole('listitem').filter({ hasText: `All of us ${serial}` })
  await expect(request).toContainText('Over the last 30 days')
  await request.getByLabel(/Answer to the person who asked/).fill('Ten of us like it')
  await request.getByRole('button', { name: 'Decline' }).click()
  await expect(page.getByRole('listitem').filter({ hasText: 'Ten of us like it' })).toBeVisible()
  await other.goto(`${place().base}/senders?panel=requests`)
  await expect(other.getByRole('listitem').filter({ hasText: 'Ten of us like it' })).toContainText('declined')
})

test('an observer reads everything and changes nothing', async ({ page }) => {
  await signIn(page, 'una', '/senders?panel=contradicts')
  await expect(page.getByRole('region', { name: /contradict/ })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Leave as it is', exact: true })).toHaveCount(0)
  await expect(page.getByRole('button', { name: /Add a sender/ })).toHaveCount(0)
  await expect(page.getByRole('button', { name: 'Export as…' })).toBeVisible()
})
