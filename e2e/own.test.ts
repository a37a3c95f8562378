import AxeBuilder from '@axe-core/playwright'
import { parseMessage } from '@pendro/core/message'
import { blockFor, expect, place, send, signIn, stored, test } from './support.ts'
import { demoColleague } from '../scripts/sign-ins.mjs'

const serial = Date.now().toString(36)

/** Mail that is kept back, from senders of their own; a digest of it is sent, and comes by SMTP into the mail store. */
async function digestOf(
  page: Parameters<typeof signIn>[0],
  colleague: { readonly name: string; readonly address: string },
  subjects: readonly string[],
  /** A sender of its own, blocked for the colleague: kept back whatever other tests have taught. */
  word: string,
) {
  await blockFor(colleague.address, `*.${word}-${serial}.example`)
  for (const [i, subject] of subjects.entries())
    await send({
      from: `${word} <letters@n${i}.${word}-${serial}.example>`,
      to: colleague.address,
      subject,
      text: `${subject} ${word}`,
      headers: {
        'Authentication-Results': `mx1.vindholm.example; dmarc=pass header.from=n${i}.${word}-${serial}.example`,
      },
    })
  await signIn(page, 'per', '/digests')
  await page.getByLabel('Find a colleague').fill(colleague.name)
  await page.getByRole('button', { name: new RegExp(colleague.name) }).click()
  const frame = page.frameLocator('iframe[title="Preview of the digest"]')
  await expect(frame.getByText(subjects.at(-1) ?? '')).toBeVisible()
  await page.getByRole('button', { name: 'Send it now' }).click()
  const found = async () =>
    (await stored(colleague.address)).find(
      ({ raw }) => raw.includes(subjects[0] ?? '') && raw.includes('auto-generated'),
    )
  await expect.poll(async () => (await found()) !== undefined).toBe(true)
  return (await bodies((await found())?.raw ?? '')).html
}

async function bodies(raw: string): Promise<{ html: string; text: string }> {
  const parsed = await parseMessage(Buffer.from(raw))
  return parsed.ok ? { html: parsed.value.html ?? '', text: parsed.value.text } : { html: '', text: '' }
}

/** The links of one line, as a mail program shows them. */
function linksOf(html: string, subject: string): readonly string[] {
  const block = html.slice(html.indexOf(subject))
  return [...block.slice(0, block.indexOf('Refuse')).matchAll(/href="([^"]+)"/g)].map(([, url = '']) => url)
}

for (const [width, height] of [
  [1280, 800],
  [360, 740],
] as const)
  test(`a digest’s link at ${width} px: fetched ahead nothing happens; confirmed, the message comes once`, async ({
    page,
    browser,
  }) => {
    const colleague = { name: 'Solveig Skarvik', address: demoColleague.address }
    const subjects =
      width === 360
        ? [`Quillon ${serial}`, `Tressary ${serial}`]
        : [`Brackwater ${serial}`, `Ombrelow ${serial}`]
    const html = await digestOf(page, colleague, subjects, width === 360 ? 'narrow' : 'broad')
    const [read = '', sendIt = ''] = linksOf(html, subjects[0] ?? '')
    expect(sendIt).toContain('/send')
    const arrived = async (subject = subjects[0]) =>
      (await stored(colleague.address)).filter(m => m.subject === subject && m.folder === 'inbox').length

    // what a link scanner does, with every link there is
    for (const [, url = ''] of html.matchAll(/href="([^"]+)"/g)) {
      await fetch(url)
      await fetch(url, { method: 'HEAD' })
    }
    expect(await arrived()).toBe(0)

    const context = await browser.newContext({ viewport: { width, height } })
    const phone = await context.newPage()
    await phone.goto(sendIt)
    // the device is new
    await expect(phone.getByLabel('Your email address')).toHaveValue(colleague.address)
    await phone.getByLabel('Your password').fill('not it at all')
    await phone.getByRole('button', { name: 'Sign in' }).click()
    await expect(phone.getByRole('alert')).toContainText('is not right for this mailbox')
    await phone.getByLabel('Your password').fill(demoColleague.password)
    await phone.getByRole('button', { name: 'Sign in' }).click()
    await expect(
      phone.getByText('You followed the link “Send it to me”. Nothing has been done yet.'),
    ).toBeVisible()
    expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width)
    expect(await arrived()).toBe(0)
    await phone.getByRole('button', { name: 'Send it to me' }).click()
    await expect(phone.getByText('It was sent to you.')).toBeVisible()
    await expect.poll(arrived).toBe(1)
    // followed again, it is told and not done again
    await phone.goto(read)
    await expect(phone.getByText('It was sent to you.')).toBeVisible()
    await expect(phone.getByRole('button', { name: 'Send it to me' })).toHaveCount(0)

    // their own page: refuse the other one, and undo
    await phone.getByRole('link', { name: 'All kept-back mail' }).click()
    await phone.getByLabel('Search sender or subject').fill(serial)
    await phone.getByRole('checkbox', { name: subjects[1] }).click()
    await phone.getByRole('button', { name: 'Refuse this sender' }).click()
    await expect(phone.getByText(/is blocked for you from now on\./)).toBeVisible()
    await phone.getByRole('button', { name: 'Undo' }).click()
    await expect(phone.getByText('Undone.')).toBeVisible()
    await expect(phone.getByRole('link', { name: subjects[1] })).toBeVisible()

    // accessible, on each of its pages
    for (const path of ['/own', '/own/senders', '/own/digests']) {
      await phone.goto(place().base + path)
      await phone.getByRole('heading', { level: 1 }).waitFor()
      const { violations } = await new AxeBuilder({ page: phone }).setLegacyMode(true).analyze()
      expect(violations.map(({ id, nodes }) => `${path} ${id} ${nodes[0]?.html}`)).toEqual([])
      expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width)
    }
    await context.close()
  })

test('a code sent to the mailbox opens the page, in the colleague’s language; a missing message is asked for', async ({
  browser,
  page,
}) => {
  const context = await browser.newContext({ viewport: { width: 360, height: 740 }, locale: 'de-DE' })
  const phone = await context.newPage()
  const address = 'frauke.priewall@vindholm.example'
  await phone.goto(`${place().base}/own`)
  await phone.getByLabel('Ihre E-Mail-Adresse').fill(address)
  await phone.getByRole('button', { name: 'Stattdessen einen Code schicken' }).click()
  await expect(
    phone.getByText(`Wenn ${address} hier ein Postfach ist, ist ein Code dorthin unterwegs.`),
  ).toBeVisible()
  const code = async () => {
    const raw = (await stored(address)).map(m => m.raw).findLast(text => text.includes('Ihr Code')) ?? ''
    return /Der Code ist (\d{6})/.exec((await bodies(raw)).text)?.[1] ?? ''
  }
  await expect.poll(code).toMatch(/^\d{6}$/)
  await phone.getByLabel('Der Code, den wir Ihnen geschickt haben').fill(await code())
  await phone.getByRole('button', { name: 'Anmelden' }).click()
  await expect(phone.getByRole('heading', { name: 'Zurückgehalten für Frauke Priewall' })).toBeVisible()
  await phone.getByText('Vermissen Sie eine Nachricht?').click()
  await phone.getByLabel('Von wem: Name oder Adresse').fill(`Reederei ${serial}`)
  await phone.getByRole('button', { name: 'Helpdesk fragen' }).click()
  await expect(phone.getByText('Ihre Frage ist beim Helpdesk.')).toBeVisible()
  await signIn(page, 'per', '/whereabouts')
  await page
    .getByRole('button', { name: new RegExp(`new Frauke Priewall .*on their page.*Reederei ${serial}`) })
    .click()
  await expect(page.getByLabel('from whom')).toHaveValue(`Reederei ${serial}`)

  // Away from the phone: what is kept back waits, and the help desk sees it.
  await phone.getByRole('link', { name: 'Übersichten' }).click()
  const day = (from: number) => new Date(Date.now() + from * 86_400_000).toISOString().slice(0, 10)
  await phone.getByLabel('Erster Tag der Abwesenheit').fill(day(-1))
  await phone.getByRole('textbox', { name: 'Zurück am' }).fill(day(20))
  await phone.getByRole('button', { name: 'Eintragen' }).click()
  await expect(phone.getByText('Die Übersichten warten.', { exact: true })).toBeVisible()
  await expect.poll(() => phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  await page.goto(`${place().base}/mailboxes?find=frauke.priewall`)
  await expect(page.getByRole('list', { name: 'Mailboxes' })).toContainText('away until')
  await phone.getByRole('button', { name: 'Entfernen', exact: true }).click()
  await expect(phone.getByText('Die Übersichten warten.', { exact: true })).toHaveCount(0)
  await context.close()
})

/** Errors on colleagues' own pages, in words and in the language of the device. */
for (const [locale, label, send, away, unreachable] of [
  [
    'de-DE',
    'Ihre E-Mail-Adresse',
    'Stattdessen einen Code schicken',
    'Das geht gerade nicht. Es wurde nichts geändert',
    'Pendro ist gerade nicht erreichbar',
  ],
  [
    'nb-NO',
    'E-postadressen din',
    'Send meg en kode i stedet',
    'Dette går ikke akkurat nå. Ingenting ble endret',
    'Får ikke kontakt med Pendro',
  ],
  [
    'pl-PL',
    'Twój adres e-mail',
    'Wyślij kod zamiast hasła',
    'W tej chwili to niemożliwe. Nic nie zmieniono',
    'Nie można połączyć się z Pendro',
  ],
] as const)
  test(`what goes wrong is told in the colleague’s language (${locale})`, async ({ browser }) => {
    const context = await browser.newContext({ viewport: { width: 360, height: 740 }, locale })
    const phone = await context.newPage()
    await phone.route('**/api/own/code', route =>
      route.fulfill({ status: 503, json: { code: 'DATABASE_AWAY', text: 'in English', facts: {} } }),
    )
    await phone.goto(`${place().base}/own`)
    await phone.getByLabel(label).fill('anna@vindholm.example')
    const ask = phone.getByRole('button', { name: send })
    await ask.click()
    await expect(phone.getByRole('alert')).toContainText(away)
    await phone.route('**/api/own/code', route => route.abort())
    await ask.click()
    await expect(phone.getByRole('alert')).toContainText(unreachable)
    // a page of theirs that can't be loaded at all
    await phone.route('**/api/own/session', route =>
      route.fulfill({ status: 500, json: { code: 'INTERNAL', text: 'in English', facts: {} } }),
    )
    await phone.goto(`${place().base}/own`)
    await expect(phone.getByRole('alert')).not.toContainText('English')
    await expect(phone.getByRole('alert')).not.toContainText('That')
    expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
    await context.close()
  })

test('on a phone: a time away and an automatic reply are set, and whoever writes is answered once', async ({
  browser,
}) => {
  const context = await browser.newContext({ viewport: { width: 360, height: 740 } })
  const phone = await context.newPage()
  await phone.goto(`${place().base}/own/digests`)
  await phone.getByLabel('Your email address').fill(demoColleague.address)
  await phone.getByLabel('Your password').fill(demoColleague.password)
  await phone.getByRole('button', { name: 'Sign in' }).click()
  const today = new Date()
  const day = (after: number) => new Date(today.getTime() + after * 86_400_000).toISOString().slice(0, 10)
  await phone.getByLabel('First day away').fill(day(-1))
  await phone.getByLabel('Back on').fill(day(5))
  await phone.getByRole('button', { name: 'Enter it' }).click()
  await expect(phone.getByText(/^Entered\./)).toBeVisible()
  await phone.getByLabel('while I am away').check()
  await phone.getByLabel(/^To everybody else/).fill('I am at sea until Friday.')
  await phone.getByRole('button', { name: 'Save', exact: true }).last().click()
  await expect(phone.getByText(/^Saved\. Your mailbox answers/)).toBeVisible()
  expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)

  const sender = `edda-${serial}@kai-nord.example`
  const write = (subject: string) =>
    send({
      from: `Edda Krog <${sender}>`,
      to: demoColleague.address,
      subject,
      text: 'Can we meet about the berths on Thursday?',
      headers: { 'Authentication-Results': 'mx1.vindholm.example; dmarc=pass header.from=kai-nord.example' },
    })
  const answers = async () => (await stored(sender)).map(({ raw }) => raw)
  await write(`Berths ${serial}`)
  await expect.poll(async () => (await answers()).length).toBe(1)
  const [raw = ''] = await answers()
  expect(raw).toContain('I am at sea until Friday.')
  expect(raw).toMatch(/^Auto-Submitted: auto-replied/m)
  await write(`Berths again ${serial}`)
  await expect
    .poll(
      async () =>
        (await stored(demoColleague.address)).filter(({ subject }) => subject.includes(serial)).length,
    )
    .toBeGreaterThanOrEqual(2)
  expect(await answers()).toHaveLength(1)

  // Taken back, for whoever comes next.
  await phone.getByLabel('no', { exact: true }).check()
  await phone.getByRole('button', { name: 'Save', exact: true }).last().click()
  await expect(phone.getByText(/^Saved\. Nobody is answered/)).toBeVisible()
  await phone.getByRole('button', { name: 'Remove', exact: true }).first().click()
  await expect(phone.getByText('Removed.')).toBeVisible()
  await context.close()
})
