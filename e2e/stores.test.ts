import { appendFileSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ImapFlow } from 'imapflow'
import type { Page } from '@playwright/test'
import { filingScript } from '@pendro/core/mail-rules'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow, openDatabase } from '../server/src/db/database.ts'
import { demoColleague } from '../scripts/sign-ins.mjs'
import { expect, place, send, signIn, stored, test } from './support.ts'

/** The demo with one colleague's mailbox at a real mail store: Debian's Dovecot, looked into by an IMAP client of the test's own. */
const serial = Date.now().toString(36)
const master = 'a master password'
let store: RealStore
let folder: string
let colleague: { id: number; address: string; name: string }

test.describe.configure({ mode: 'serial' })

test.beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'pendro-browser-store-'))
  store = await startRealStore({
    folder,
    accounts: {},
    master: { user: 'pendro', password: master },
    before: filingScript({ junk: 'Junk', aside: 'Set aside' }),
  })
  const db = openDatabase(place().database, { poolSize: 1 })
  const found = await findRow<typeof colleague>(
    db,
    `SELECT id, address, name FROM mailboxes WHERE kind = 'person' AND language = 'en' AND address <> '${demoColleague.address}'
     ORDER BY id LIMIT 1 OFFSET 20`,
  )
  if (!found) throw new Error('no colleague')
  colleague = found
  // As the directory's attribute would say it.
  await execute(db, "UPDATE mailboxes SET store = 'pier' WHERE id = :id", { id: colleague.id })
  await db.close()
})
test.afterAll(async () => {
  const db = openDatabase(place().database, { poolSize: 1 })
  await execute(db, "UPDATE mailboxes SET store = '' WHERE id = :id", { id: colleague.id })
  await execute(db, "UPDATE organisation SET settings = JSON_REMOVE(settings, '$.routes')")
  await db.close()
  await store.close()
  rmSync(folder, { recursive: true, force: true })
})

/** Subjects by folder, as the colleague's own mail program has them. */
async function inMailbox(): Promise<Record<string, string[]>> {
  return withMailbox(async client => {
    const found: Record<string, string[]> = {}
    for (const { path } of await client.list()) {
      const box = await client.mailboxOpen(path, { readOnly: true })
      if (box.exists > 0)
        found[path] = (await client.fetchAll('1:*', { envelope: true })).map(
          ({ envelope }) => envelope?.subject ?? '',
        )
    }
    return found
  })
}

async function withMailbox<T>(work: (client: ImapFlow) => Promise<T>): Promise<T> {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: store.ports.imap,
    secure: false,
    doSTARTTLS: false,
    auth: { user: 'pendro', pass: master, authzid: colleague.address },
    logger: false,
  })
  await client.connect()
  try {
    return await work(client)
  } finally {
    await client.logout()
  }
}

const copies = async (subject: string) =>
  Object.entries(await inMailbox()).flatMap(([folder, subjects]) =>
    subjects.filter(one => one === subject).map(() => folder),
  )

/** A partner the colleague has a rule for; wanted, and proven. */
const write = (subject: string, more: object = {}) =>
  send({
    from: `Partner <partner@yard-${serial}.example>`,
    to: colleague.address,
    subject,
    text: 'The papers for the yard.',
    headers: {
      'Authentication-Results': `mx1.vindholm.example; dmarc=pass header.from=yard-${serial}.example`,
    },
    ...more,
  })

async function setStore(page: Page): Promise<void> {
  await signIn(page, 'oda', '/organisation/stores')
  await page.getByRole('button', { name: 'Add a mail store' }).click()
  const card = page.getByRole('region', { name: /Mail store without a name|pier/ })
  await card.getByLabel('Name', { exact: true }).fill('pier')
  await card.getByLabel('Has the mailboxes of').selectOption({ label: 'whoever the directory names it for' })
  await card.getByLabel('Server').fill('127.0.0.1')
  await card.getByLabel('Port').fill(String(store.ports.lmtp))
  await card.getByLabel('TLS').selectOption('off')
  await card.getByLabel('Protocol').selectOption('lmtp')
  await card.getByText('Look into mailboxes (IMAP)').click()
  await card.getByLabel('Port').nth(1).fill(String(store.ports.imap))
  await card.getByLabel('TLS').nth(1).selectOption('off')
  await card.getByText('Keep mail rules and automatic replies there, too').click()
  await card.getByLabel('Port').nth(2).fill(String(store.ports.sieve))
  await card.getByLabel('TLS').nth(2).selectOption('off')
  await card.getByLabel('Account').fill('pendro')
  await card.getByRole('button', { name: 'Type the password' }).click()
  await card.getByLabel(/^Password of pendro@127\.0\.0\.1/).fill(master)
  await card.getByRole('button', { name: 'Keep it' }).click()
  await expect(card.getByText(/Its password is kept, since/)).toBeVisible()
  // What works is seen before anything is set.
  await card.getByText('somebody').click()
  await page.keyboard.type(colleague.address)
  await page.getByRole('option', { name: new RegExp(colleague.name) }).click()
  await card.getByRole('button', { name: 'Try it' }).click()
  await expect(card.getByText('Looking in:')).toBeVisible()
  await expect(card.getByText(`works: 127.0.0.1:${store.ports.imap}`)).toHaveCount(2)
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByText(/Looked into \d+ of 1 mailbox/)).toBeVisible()
}

test('what a rule filed is found, and moved to the inbox for real', async ({ page }) => {
  await setStore(page)
  const subject = `Yard papers ${serial}`
  await makeRule(page)
  await write(subject)
  await expect.poll(() => copies(subject)).toEqual(['Yard'])

  await page.goto(`${place().base}/whereabouts?from=partner@yard-${serial}.example`)
  const hit = page.getByRole('article', { name: subject })
  await expect(hit.getByText('into the folder Yard')).toBeVisible()
  await hit.getByRole('button', { name: /inbox/i }).first().click()
  await expect.poll(() => copies(subject)).toEqual(['INBOX'])

  // Now the colleague's own mail program puts it away; the page says so, and moves it back.
  await withMailbox(async client => {
    await client.mailboxCreate('Later')
    await client.mailboxOpen('INBOX')
    const uids = (await client.search({ subject }, { uid: true })) || []
    await client.messageMove([...uids], 'Later', { uid: true })
  })
  await page.goto(`${place().base}/whereabouts?from=partner@yard-${serial}.example`)
  await hit
    .getByRole('link', { name: /account/i })
    .first()
    .click()
  await expect(page.getByText('Moved by a mail program')).toBeVisible()
  await expect(page.getByText(/into the folder Later, unread/)).toBeVisible()
  await page.goBack()
  await page.reload()
  await hit.getByRole('button', { name: 'Put it back into the inbox' }).click()
  await expect.poll(() => copies(subject)).toEqual(['INBOX'])
  // Its undo is where every undo is.
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect.poll(() => copies(subject)).toEqual(['Later'])
})

test('rules that somebody else has changed at the store are shown, and nobody’s are lost', async ({
  page,
}) => {
  const script = () => join(folder, 'home', colleague.address, 'sieve', 'pendro-rules.sieve')
  const kept = () => readFileSync(script(), 'utf8')
  await signIn(page, 'oda', `/mailboxes/${colleague.id}/rules/store`)
  await expect(page.getByText(/The store has them as they are here, since/)).toBeVisible({ timeout: 20_000 })
  expect(kept()).toContain(`yard-${serial}.example`)

  appendFileSync(
    script(),
    '# somebody else’s\nif header :contains "subject" "tug" {\n  fileinto "Tugs";\n}\n',
  )
  await page.getByRole('button', { name: 'Look again' }).click()
  await expect(page.getByText(/Somebody has changed Pendro’s scripts/)).toBeVisible()
  await expect(page.getByText('When the subject contains “tug”: file it in Tugs.')).toBeVisible()
  await page.getByText('Show it line by line').click()
  await expect(page.getByText('− # somebody else’s')).toBeVisible()
  await page.getByRole('button', { name: 'Replace them with Pendro’s' }).click()
  await expect(page.getByText('Pendro’s scripts are at the store and run there.')).toBeVisible()
  expect(kept()).not.toContain('somebody else’s')
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByText(/Somebody has changed Pendro’s scripts/)).toBeVisible()
  expect(kept()).toContain('somebody else’s')
})

async function makeRule(page: Page): Promise<void> {
  const answer = await page.evaluate(
    async ({ mailbox, from }) => {
      const session = (await (await fetch('/api/session')).json()) as { csrf: string }
      const made = await fetch('/api/mail-rules/changes', {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', 'X-Pendro-Token': session.csrf },
        body: JSON.stringify({
          mailbox,
          change: {
            act: 'add',
            draft: {
              name: 'Yard',
              needs: 'all',
              conditions: [{ field: 'from', test: 'contains', values: [from] }],
              action: {
                place: { kind: 'folder', folder: 'Yard' },
                hold: null,
                important: false,
                stop: false,
              },
            },
          },
          reason: '',
          token: crypto.randomUUID(),
        }),
      })
      return made.status
    },
    { mailbox: colleague.id, from: `yard-${serial}.example` },
  )
  expect(answer).toBe(200)
}

test('an outage: a colleague reads and answers on a phone, and all of it is there once', async ({
  page,
  browser,
}) => {
  const [first, second] = [`Before noon ${serial}`, `And another thing ${serial}`]
  await store.kill()
  await signIn(page, 'oda', '/organisation/stores')
  await page.getByRole('button', { name: /Say that pier is away/ }).click()
  await expect(page.getByText('pier is away')).toBeVisible()
  const plain = {
    from: `Mette <mette@pier-${serial}.example>`,
    headers: {
      'Authentication-Results': `mx1.vindholm.example; dmarc=pass header.from=pier-${serial}.example`,
    },
  }
  await write(first, plain)

  const context = await browser.newContext({
    viewport: { width: 390, height: 844 },
    locale: 'en-GB',
    hasTouch: true,
  })
  const phone = await context.newPage()
  await phone.goto(`${place().base}/own`)
  await phone.getByLabel('Your email address').fill(colleague.address)
  await phone.getByLabel('Your password').fill(demoColleague.password)
  await phone.getByRole('button', { name: 'Sign in' }).click()
  await phone.getByRole('link', { name: 'Read and write your mail here' }).click()
  await phone.getByRole('link', { name: new RegExp(first) }).click()
  await expect(phone.frameLocator('iframe').getByText('The papers for the yard.')).toBeVisible()
  await phone.getByRole('link', { name: 'Answer', exact: true }).click()
  await phone.getByRole('textbox', { name: 'Your letter' }).click()
  await phone.keyboard.press('Control+Home')
  await phone.keyboard.type('Thank you, they are with me.')
  await expect(phone.getByText('Kept as a draft')).toBeVisible()
  await phone.getByRole('button', { name: 'Send', exact: true }).click()
  await expect(phone.getByText('Sent from here')).toBeVisible()
  // It has gone out: the answer comes from outside while the store is still away.
  await expect
    .poll(async () => (await stored(`mette@pier-${serial}.example`)).map(one => one.subject))
    .toEqual([`Re: ${first}`])
  const [answer] = await stored(`mette@pier-${serial}.example`)
  const messageId = /^Message-ID: (<[^>]+>)/im.exec(answer?.raw ?? '')?.[1] ?? ''
  await write(second, { ...plain, headers: { ...plain.headers, 'In-Reply-To': messageId } })
  await expect(phone.getByText(second)).toBeVisible()

  await store.start()
  await page.getByRole('button', { name: 'Say that it is back' }).click()
  await expect.poll(() => copies(first)).toEqual(['INBOX'])
  await expect.poll(() => copies(second)).toEqual(['INBOX'])
  await expect.poll(() => copies(`Re: ${first}`)).toEqual(['Sent'])
  await expect(phone.getByText('The mail store is there')).toBeVisible()
  // What was read is read there, too.
  await expect
    .poll(() =>
      withMailbox(async client => {
        await client.mailboxOpen('INBOX', { readOnly: true })
        const all = await client.fetchAll('1:*', { envelope: true, flags: true })
        return all.flatMap(({ envelope, flags }) =>
          envelope?.subject === first ? [[...(flags ?? [])].filter(flag => flag !== '\\Recent').sort()] : [],
        )
      }),
    )
    .toEqual([['\\Answered', '\\Seen']])
  await context.close()
})
