import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, expect, test } from 'vitest'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { findMailboxRow } from '../src/db/organisation.ts'
import { writeLetter } from '../src/own/letters.ts'
import { arrive, signedIn, startTestServer, type TestServer } from './support.ts'

/** What the organisation says in letters besides Pendro's own words. */
let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
})
afterAll(() => server.close())

const none = { en: '', nb: '', de: '', pl: '' }
const letters = {
  language: 'nb',
  welcome: { ...none, en: 'Two courses begin in May.' },
  foot: {
    ...none,
    en: 'Help desk: pier 3, <the red door> & {{name}} $t(act.send)',
    nb: 'Brukerstøtten: brygge 3',
  },
}
const now = async () =>
  ((await oda.get('/api/organisation/settings')).body as OrganisationSettingsShape).letters
const set = async (to: object) =>
  oda.post('/api/organisation/settings/changes', {
    change: { what: 'letters', was: await now(), to },
    token: randomUUID(),
  })
const preview = (kind: string, language = 'en', given: object = letters) =>
  oda.post('/api/organisation/settings/letter', { letters: given, kind, language })

/** Quoted-printable undone (RFC 2045 §6.7), as far as our own mail has it. */
const bodyOf = (raw: Buffer) =>
  Buffer.from(
    raw
      .toString('latin1')
      .replace(/=\r\n/g, '')
      .replace(/=([0-9A-F]{2})/g, (_, hex: string) => String.fromCharCode(Number.parseInt(hex, 16))),
    'latin1',
  ).toString()

test('before anything is set, a letter is shown as it would be; nothing goes out and no secret is made', async () => {
  const { body } = await preview('welcome')
  expect(body.subject).toBe('Mail kept back for you and how to get it')
  expect(body.text).toContain('Two courses begin in May.\n\nThe first time')
  // What is written stands as it is written: it is no template.
  expect(body.text.trimEnd().endsWith('<the red door> & {{name}} $t(act.send)')).toBe(true)
  expect((await preview('code', 'nb')).body.text).toContain('brygge 3')
  const digest = (await preview('digest', 'de')).body.text as string
  expect(digest).toContain('Pendro')
  expect(digest).not.toContain('pier')
  expect(await now()).toMatchObject({ language: 'en', welcome: none, foot: none })
})

test('once set, letters and digests end with it, in the language of each, escaped in HTML', async () => {
  await set(letters)
  const welcome = await writeLetter(server.db, 'welcome', server.mailbox('ingrid'), {
    publicUrl: 'http://pendro.harbour.example',
    now: server.clock.now,
  })
  expect(bodyOf(welcome ?? Buffer.alloc(0))).toMatch(/Two courses begin in May\.[\s\S]*<the red door>/)
  await arrive(server)
  const mailbox = await findMailboxRow(server.db, server.mailbox('ingrid'))
  const shown = await oda.get(`/api/mailboxes/${mailbox?.id}/digest`)
  const told = JSON.stringify(shown.body)
  expect(told).toContain('Help desk: pier 3')
  expect(told).toContain('&#60;the red door&#62;')
})

test('new mailboxes that say no language have the organisation’s', async () => {
  await set(letters)
  await oda.post('/api/directory/changes', {
    lines: [{ address: 'new.one@harbour.example', fields: { name: 'New One' } }],
    reason: '',
    token: randomUUID(),
  })
  const { body } = await oda.get('/api/mailboxes?find=new.one')
  const made = await findMailboxRow(server.db, (body.mailboxes as { id: number }[])[0]?.id ?? 0)
  expect(made?.language).toBe('nb')
})

test.each(['Call 555-123 for help', 'Ask for K7Q-4MD', 'Room\n4T2-9KZ'])(
  'what a reply would be taken to ask by is refused, and named: %s',
  async text => {
    const given = { ...letters, foot: { ...none, pl: text } }
    expect((await set(given)).body).toMatchObject({ code: 'BAD_SETTING', facts: { context: 'code' } })
    expect((await preview('digest', 'pl', given)).body.code).toBe('BAD_SETTING')
  },
)

test.each([
  'Call 55 51 23 45',
  'Room 4-12',
  'https://help.harbour.example/pages/mail-kept-back',
  'well-kept one-two',
])('and what is none is fine: %s', async text => {
  expect((await preview('digest', 'pl', { ...letters, foot: { ...none, pl: text } })).status).toBe(200)
})
