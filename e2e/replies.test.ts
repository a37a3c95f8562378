import { blockFor, expect, send, signIn, stored, test } from './support.ts'

const serial = Date.now().toString(36)
const tore = 'tore.vik@vindholm.example'
const proof = 'mx1.vindholm.example; dmarc=pass header.from=vindholm.example'

test('a reply releases the two lines left in it and not the three removed; an automatic one releases none', async ({
  page,
}) => {
  const subjects = [0, 1, 2, 3, 4].map(n => `Wendlow ${serial} ${n}`)
  // Kept back whatever other tests have taught.
  await blockFor(tore, `*.varn-${serial}.example`)
  for (const [i, subject] of subjects.entries())
    await send({
      from: `Varn <desk@n${i}.varn-${serial}.example>`,
      to: tore,
      subject,
      html: `<p>Gormwell ${i}: <a href="https://elsewhere.example/x">trebisk</a></p>`,
      headers: {
        'Authentication-Results': `mx1.vindholm.example; dmarc=pass header.from=n${i}.varn-${serial}.example`,
      },
    })
  await signIn(page, 'per', '/digests')
  await page.getByLabel('Find a colleague').fill('Tore Vik')
  await page.getByRole('button', { name: /Tore Vik/ }).click()
  const frame = page.frameLocator('iframe[title="Preview of the digest"]')
  for (const subject of subjects) await expect(frame.getByText(subject)).toBeVisible()
  await page.getByRole('button', { name: 'Send it now' }).click()
  const digest = async () =>
    (await stored(tore)).find(m => m.raw.includes(`Wendlow ${serial} 4`) && m.raw.includes('auto-generated'))
  await expect.poll(async () => (await digest()) !== undefined).toBe(true)

  // the text part, as a mail program would quote it
  const raw = (await digest())?.raw ?? ''
  const lines = subjects.map(subject => {
    const block = raw.slice(raw.indexOf(subject))
    return /[2-9A-Z]{3}-[2-9A-Z]{3}/.exec(block)?.[0] ?? ''
  })
  expect(new Set(lines).size).toBe(5)
  const reply = (text: string, headers: Record<string, string> = {}) =>
    send({
      from: `Tore Vik <${tore}>`,
      to: 'digest@vindholm.example',
      subject: 'Re: Kept back for you',
      text,
      headers: { 'Authentication-Results': proof, ...headers },
    })

  await reply(`I am at sea.\n\n${lines.map(line => `> ${line}`).join('\n')}`, {
    'Auto-Submitted': 'auto-replied',
  })
  await reply(`Thank you!\n\nOn Thursday Pendro wrote:\n> ${lines[1]}\n>> ${lines[3]}`)
  const released = async () =>
    (await stored(tore))
      .filter(m => subjects.includes(m.subject) && m.folder === 'inbox')
      .map(m => m.subject)
      .sort()
  await expect.poll(released).toEqual([subjects[1], subjects[3]])
  await expect
    .poll(async () =>
      (await stored(tore)).some(
        m => m.raw.includes('Auto-Submitted: auto-replied') && m.raw.includes('2 messages are on their way'),
      ),
    )
    .toBe(true)

  // the help desk sees what came of both
  await page.getByRole('button', { name: /^Replies/ }).click()
  const replies = page.getByRole('region', { name: 'Replies' })
  await expect(
    replies
      .getByRole('listitem')
      .filter({ hasText: subjects[1] ?? '' })
      .first(),
  ).toContainText('released')
  await expect(replies.getByText('automatic reply, nothing done').first()).toBeVisible()
})

test('when digests go is set in the sentence, and said at once', async ({ page }) => {
  await signIn(page, 'per', '/digests')
  await page.getByLabel('Find a colleague').fill('Sigrid Lund')
  await page.getByRole('button', { name: /Sigrid Lund/ }).click()
  await page.getByRole('button', { name: /^when digests go/ }).click()
  await page.getByRole('button', { name: 'Add a time' }).click()
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page.getByRole('button', { name: /^when digests go: .*15:00/ })).toBeVisible()
  await page.getByRole('button', { name: /^when digests go/ }).click()
  await page.getByRole('button', { name: 'Use the organisation’s times' }).click()
  await expect(page.getByRole('button', { name: 'when digests go: 07:00 every day' })).toBeVisible()
})
