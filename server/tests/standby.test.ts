import { randomUUID } from 'node:crypto'
import { ImapFlow } from 'imapflow'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { parseMessage } from '@pendro/core/message'
import { plainStore, type MailStoreShape, type StandbyPage } from '@pendro/contract'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, select } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { takeIn } from '../src/intake/intake.ts'
import { createSecrets, createVault } from '../src/outbox/secrets.ts'
import { createOutbox, workOutbox } from '../src/outbox/outbox.ts'
import { createWays } from '../src/outbox/ways.ts'
import { copyMarks, fileSent } from '../src/standby/hand-back.ts'
import { createInStore } from '../src/stores/deliver.ts'
import { watchStores } from '../src/stores/outages.ts'
import { createStores } from '../src/stores/stores.ts'
import {
  arrive,
  gateway,
  asColleague,
  log,
  setOrganisation,
  signedIn,
  startTestServer,
  type TestServer,
} from './support.ts'
import { otherServer, route, type OtherServer } from './mail-servers.ts'

/** A mail store that is really away: Debian's Dovecot, killed and started again. */
let server: TestServer
let store: RealStore
let world: OtherServer
let ingrid: Awaited<ReturnType<typeof asColleague>>
let aksel: typeof ingrid
const master = 'a master password'
const secrets = createSecrets({ passwordOf: async () => master }, { passwords: '', authorities: '' })
const stores = () => createStores(server.db, secrets)
const now = () => server.clock.now
const later = (minutes: number) => {
  server.clock.now = new Date(now().getTime() + minutes * 60_000)
}

beforeAll(async () => {
  server = await startTestServer(db => ({
    storeView: { secrets, vault: createVault(db, null), stores: createStores(db, secrets) },
  }))
  ;[store, world] = await Promise.all([
    startRealStore({ accounts: {}, master: { user: 'pendro', password: master } }),
    otherServer(),
  ])
  const at = (port: number) => ({ host: '127.0.0.1', port, tls: 'off' as const, certificate: '' })
  const setting: MailStoreShape = {
    ...plainStore,
    name: 'pier',
    hosts: [route(store.ports.lmtp, { protocol: 'lmtp' })],
    identity: { kind: 'proxy', user: 'pendro', tokenUrl: '', scope: '' },
    imap: at(store.ports.imap),
  }
  await setOrganisation(server.db, {
    routes: { smartHosts: [route(world.port)], stores: [setting] },
    watching: true,
  })
  ingrid = await asColleague(server, 'ingrid')
  aksel = await asColleague(server, 'aksel')
})
afterAll(async () => {
  await store.close()
  await world.close()
  await server.close()
})

const watch = () => watchStores({ db: server.db, secrets, store: { host: '127.0.0.1', port: 9 }, now })
const sender = () =>
  createWays({
    organisation: () => organisationNow(server.db),
    store: { host: '127.0.0.1', port: 9 },
    secrets,
    now,
  })

/** Everything that is due, as the loops of a server do it. */
async function work(): Promise<void> {
  const send = sender()
  const inStore = createInStore(server.db, stores(), now)
  const handing = { db: server.db, stores: stores(), send, log, now }
  // With the slots of the server: one message of a mailbox at a time.
  const outbox = createOutbox({ db: server.db, send, log, now, letter: async () => null, inStore })
  // What waits behind another of its mailbox can be begun when that has ended.
  do await outbox.stop()
  while ((await outbox.work()) > 0)
  await fileSent(handing)
  await copyMarks(handing)
  send.close()
}

/** The store is away for long enough. */
async function breaksDown(): Promise<void> {
  await store.kill()
  later(1)
  await watch()
  later(11)
  await watch()
}
async function comesBack(): Promise<void> {
  await store.start()
  later(1)
  // Nothing waits for its own next try.
  await watch()
}

const page = async (who = ingrid) => (await who.get('/api/own/standby')).body as StandbyPage
let serial = 0
const letter = async (more: object = {}) => {
  serial += 1
  const subject = `Tide ${serial} table`
  const [id = 0] = await arrive(server, { subject, ...more })
  return { id, subject }
}

/** Takes in a message as it stands. */
async function take(raw: string): Promise<number> {
  const [taken] = await takeIn(server.db, [
    {
      raw: Buffer.from(raw),
      envelopeFrom: 'anna@x.example',
      recipients: ['ingrid@harbour.example'],
      receivedAt: now(),
      connection: gateway,
    },
  ])
  return taken?.deliveries[0]?.id ?? 0
}

/** What an IMAP client finds: subject and flags, by folder. */
async function inMailbox(user: string): Promise<Record<string, { subject: string; flags: string[] }[]>> {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: store.ports.imap,
    secure: false,
    doSTARTTLS: false,
    auth: { user: 'pendro', pass: master, authzid: `${user}@harbour.example` },
    logger: false,
  })
  await client.connect()
  const found: Record<string, { subject: string; flags: string[] }[]> = {}
  for (const { path } of await client.list()) {
    const box = await client.mailboxOpen(path, { readOnly: true })
    if (box.exists === 0) continue
    found[path] = (await client.fetchAll('1:*', { envelope: true, flags: true })).map(
      ({ envelope, flags }) => ({
        subject: envelope?.subject ?? '',
        flags: [...(flags ?? [])].filter(flag => flag !== '\\Recent').sort(),
      }),
    )
  }
  await client.logout()
  return found
}

const draft = (more: object = {}) => ({
  id: null,
  version: 0,
  token: randomUUID(),
  to: ['partner@outside.example'],
  cc: [],
  bcc: [],
  subject: 'Hello',
  html: '<p>Hello <b>there</b></p>',
  answers: '',
  forwards: '',
  ...more,
})
const save = (more: object = {}, who = ingrid) => who.post('/api/own/standby/letters', draft(more))
const send = (saved: { id: number; version: number }, who = ingrid) =>
  who.post(`/api/own/standby/letters/${saved.id}/send`, { version: saved.version })

beforeEach(() => {
  world.took.length = 0
})

describe('while the store answers', () => {
  test('there is nothing here, and nothing can be written', async () => {
    await watch()
    expect(await page()).toMatchObject({ state: 'closed', items: [], drafts: [] })
    expect((await save()).body.code).toBe('STANDBY_CLOSED')
  })
  test('a moment without an answer opens nothing', async () => {
    await store.kill()
    later(1)
    await watch()
    later(5)
    await watch()
    expect((await page()).state).toBe('closed')
    await comesBack()
    // It counts from the beginning again.
    await store.kill()
    later(1)
    await watch()
    later(9)
    expect((await page()).state).toBe('closed')
    later(2)
    expect((await page()).state).toBe('open')
    await comesBack()
  })
  test('a steward says that nobody reaches it: what it goes on taking is read here, too, and is there once', async () => {
    const oda = await signedIn(server, 'oda')
    const before = await letter()
    await work()
    later(1)
    const say = (away: boolean) => oda.post('/api/stores/outages', { store: 'pier', away })
    expect((await say(true)).status).toBe(200)
    later(1)
    const { id, subject } = await letter()
    await work()
    const { state, items, waiting } = await page()
    expect([state, waiting]).toEqual(['open', 0])
    expect(items.map(one => one.subject)).toEqual([subject])
    expect((await ingrid.get(`/api/own/standby/items/d${id}`)).status).toBe(200)
    await say(false)
    await work()
    expect((await page()).items).toEqual([])
    const { INBOX = [] } = await inMailbox('ingrid')
    expect(INBOX.filter(one => [subject, before.subject].includes(one.subject))).toEqual([
      { subject: before.subject, flags: [] },
      { subject, flags: ['\\Seen'] },
    ])
  })
})

describe('an outage, from its beginning to its end', () => {
  test('colleagues read, answer and write; when it is back all of it is there once', async () => {
    await breaksDown()
    const asked = await letter({ headers: ['References: <first@x.example>'] })
    later(1)
    const other = await letter()
    await work()
    const open = await page()
    expect(open).toMatchObject({ state: 'open', waiting: 2 })
    expect(open.items.map(({ subject, opened }) => [subject, opened])).toEqual([
      [other.subject, false],
      [asked.subject, false],
    ])
    const key = open.items[1]?.key ?? ''
    const { body: sheet } = await ingrid.get(`/api/own/standby/items/${key}`)
    expect(sheet).toMatchObject({ subject: asked.subject, to: ['somebody@harbour.example'] })
    const view = await ingrid.get(`/api/own/standby/items/${key}/view`)
    expect([view.status, view.headers['content-security-policy']]).toEqual([
      200,
      expect.stringContaining('sandbox'),
    ])
    const { body: saved } = await save({
      to: sheet.replyTo,
      cc: ['aksel@harbour.example'],
      bcc: ['quiet@outside.example'],
      subject: `Re: ${asked.subject}`,
      html: '<p>At noon.</p><script>x()</script><blockquote>When?</blockquote>',
      answers: key,
    })
    expect((await send(saved)).status).toBe(200)
    await work()
    // To the world at once; to a colleague whose store is away, into their standby mailbox.
    expect(world.took.map(({ to }) => to).sort()).toEqual([...sheet.replyTo, 'quiet@outside.example'].sort())
    const raw = world.took[0]?.raw ?? ''
    const [, asks = 'nothing'] = /^In-Reply-To: (<\d+@test\.example>)\r$/m.exec(raw) ?? []
    // RFC 5322 §3.6.4.
    expect(raw.replace(/\r\n[ \t]/g, ' ')).toContain(`References: <first@x.example> ${asks}\r\n`)
    expect(raw).not.toMatch(/quiet@|<script/)
    // A second reader finds the same in it.
    const parsed = await parseMessage(Buffer.from(raw))
    expect(parsed.ok && [parsed.value.subject, parsed.value.text.includes('At noon.')]).toEqual([
      `Re: ${asked.subject}`,
      true,
    ])
    const theirs = await page(aksel)
    expect(theirs.items.map(({ subject, fromAddress }) => [subject, fromAddress])).toEqual([
      [`Re: ${asked.subject}`, 'ingrid@harbour.example'],
    ])
    expect((await page()).items.find(item => item.key === key)).toMatchObject({
      opened: true,
      answered: true,
    })

    await comesBack()
    expect((await page()).state).toBe('handing-back')
    await work()
    await work()
    expect((await page()).state).toBe('closed')
    const own = await inMailbox('ingrid')
    const of = (folder: string, subject: string) => own[folder]?.filter(one => one.subject === subject) ?? []
    expect(of('INBOX', asked.subject)).toEqual([{ subject: asked.subject, flags: ['\\Answered', '\\Seen'] }])
    expect(of('INBOX', other.subject)).toEqual([{ subject: other.subject, flags: [] }])
    expect(of('Sent', `Re: ${asked.subject}`)).toEqual([
      { subject: `Re: ${asked.subject}`, flags: ['\\Seen'] },
    ])
    expect(
      (await inMailbox('aksel'))['INBOX']?.filter(({ subject }) => subject === `Re: ${asked.subject}`),
    ).toHaveLength(1)
    // Oldest first.
    const order = own['INBOX']?.map(({ subject }) => subject) ?? []
    expect(order.indexOf(asked.subject)).toBeLessThan(order.indexOf(other.subject))
  })

  test('two outages one after the other, the second during handing back', async () => {
    await breaksDown()
    const letters = await Promise.all(Array.from({ length: 6 }, () => letter()))
    const { body: saved } = await save({ subject: 'Between two' })
    await send(saved)
    await work()
    await store.start()
    later(1)
    // Away again before anything was filed.
    const part = sender()
    await workOutbox({ db: server.db, send: part, log, now, letter: async () => null })
    part.close()
    await store.kill()
    later(12)
    await work()
    await comesBack()
    for (let i = 0; i < 4; i += 1) {
      await work()
      later(1)
    }
    const own = await inMailbox('ingrid')
    for (const { subject } of letters)
      expect([subject, own['INBOX']?.filter(one => one.subject === subject).length]).toEqual([subject, 1])
    expect(own['Sent']?.filter(({ subject }) => subject === 'Between two')).toHaveLength(1)
  })

  test('filing that nobody heard the end of makes no second copy', async () => {
    await breaksDown()
    const { body: saved } = await save({ subject: 'Filed once' })
    await send(saved)
    await comesBack()
    await work()
    // As a process that died after the store had said yes leaves it.
    await execute(
      server.db,
      'UPDATE standby_letters SET filed_at = NULL, claimed_until = NULL WHERE id = :id',
      { id: saved.id },
    )
    await work()
    const own = await inMailbox('ingrid')
    expect(own['Sent']?.filter(({ subject }) => subject === 'Filed once')).toHaveLength(1)
  })
})

describe('writing', () => {
  beforeAll(() => breaksDown())
  afterAll(() => comesBack())

  test('a draft is kept as it is typed; what another device saved meanwhile is not written over', async () => {
    const token = randomUUID()
    const { body: first } = await save({ token, subject: 'Draft' })
    // The answer got lost: the same first save again is no second draft.
    const { body: again } = await save({ token, subject: 'Draft' })
    expect(again.id).toBe(first.id)
    const { body: second } = await save({ id: first.id, version: again.version, subject: 'Draft, more' })
    expect((await save({ id: first.id, version: again.version, subject: 'Elsewhere' })).body.code).toBe(
      'DRAFT_CHANGED',
    )
    expect((await send({ id: first.id, version: again.version })).body.code).toBe('DRAFT_CHANGED')
    const { body: read } = await ingrid.get(`/api/own/standby/letters/${first.id}`)
    expect(read).toMatchObject({ subject: 'Draft, more', version: second.version })
    expect((await aksel.get(`/api/own/standby/letters/${first.id}`)).body.code).toBe('LETTER_GONE')
    await ingrid.post(`/api/own/standby/letters/${first.id}/drop`, {})
    expect((await ingrid.get(`/api/own/standby/letters/${first.id}`)).body.code).toBe('LETTER_GONE')
  })

  test('sent twice at the same moment it goes once', async () => {
    const { body: saved } = await save({ subject: 'Once' })
    const answers = await Promise.all([send(saved), send(saved), send(saved)])
    expect(answers.map((answer: { status: number }) => answer.status).sort()).toEqual([200, 409, 409])
    await work()
    expect(world.took.filter(({ raw }) => raw.includes('Subject: Once'))).toHaveLength(1)
  })

  test.each<[what: string, more: object, code: string]>([
    ['to nobody', { to: [] }, 'NO_RECIPIENTS'],
    ['to what is no address', { to: ['partner'] }, 'BAD_RECIPIENTS'],
    ['to two in one', { to: ['a@x.example, b@x.example'] }, 'BAD_RECIPIENTS'],
    ['with a line break in an address', { to: ['a@x.example\r\nBcc: b@x.example'] }, 'BAD_RECIPIENTS'],
    [
      'to too many',
      {
        to: Array.from({ length: 60 }, (_, i) => `a${i}@x.example`),
        cc: Array.from({ length: 60 }, (_, i) => `b${i}@x.example`),
      },
      'TOO_MANY_RECIPIENTS',
    ],
  ])('%s: it stays a draft', async (_, more, code) => {
    const { body: saved } = await save(more)
    expect((await send(saved)).body.code).toBe(code)
    await ingrid.post(`/api/own/standby/letters/${saved.id}/drop`, {})
    expect(world.took).toEqual([])
  })

  test('a line break in the subject is none', async () => {
    const { body: saved } = await save({ subject: 'Hello\r\nBcc: everybody@x.example' })
    await send(saved)
    await work()
    expect(world.took.map(({ to }) => to)).toEqual(['partner@outside.example'])
    expect(world.took[0]?.raw).not.toMatch(/^Bcc:/m)
  })

  test('files go with it, and what is passed on whole', async () => {
    const asked = await letter()
    await work()
    const key = (await page()).items.find(({ subject }) => subject === asked.subject)?.key ?? ''
    const { body: saved } = await save({ subject: 'Fwd', forwards: key })
    const attached = await ingrid.postFile(
      `/api/own/standby/files?letter=${saved.id}&name=${encodeURIComponent('../../plan.txt')}`,
      Buffer.from('berths'),
    )
    expect([attached.status, attached.body]).toEqual([200, { id: expect.any(Number) }])
    await send(saved)
    await work()
    const parsed = await parseMessage(Buffer.from(world.took[0]?.raw ?? ''))
    expect(parsed.ok && parsed.value.attachments.map(({ name }) => name)).toEqual(['plan.txt', 'message.eml'])
    expect(await select(server.db, 'SELECT id FROM standby_files')).toEqual([])
  })

  test('addresses are proposed: colleagues, and whom this mailbox has written to', async () => {
    const { body } = await ingrid.get('/api/own/standby/addresses?text=aks')
    expect(body.addresses).toEqual([{ address: 'aksel@harbour.example', name: 'Aksel' }])
    expect((await ingrid.get('/api/own/standby/addresses?text=partner')).body.addresses).toEqual([
      { address: 'partner@outside.example', name: '' },
    ])
    expect((await aksel.get('/api/own/standby/addresses?text=partner')).body.addresses).toEqual([])
    expect((await ingrid.get('/api/own/standby/addresses?text=%25')).body.addresses).toEqual([])
  })
})

describe('what is not for everybody', () => {
  beforeAll(() => breaksDown())
  afterAll(() => comesBack())

  test('another’s message is told as little as that it exists; what is held stays held', async () => {
    const { id } = await letter()
    await work()
    for (const path of [`d${id}`, `d${id}/view`, `d${id}/attachments/0`, 'd999999', 'r999999'])
      expect((await aksel.get(`/api/own/standby/items/${path}`)).body.code).toBe('DELIVERY_NOT_FOUND')
    await execute(server.db, "UPDATE deliveries SET state = 'quarantined', bound_for = NULL WHERE id = :id", {
      id,
    })
    expect((await ingrid.get(`/api/own/standby/items/d${id}/view`)).body.code).toBe('DELIVERY_NOT_FOUND')
  })

  test('an attachment is given as bytes when it is harmless, and not at all when it is not', async () => {
    const attach = (name: string, content: string) =>
      [
        'From: Anna <anna@x.example>',
        'To: ingrid@harbour.example',
        `Subject: With ${name}`,
        'MIME-Version: 1.0',
        'Content-Type: multipart/mixed; boundary=b',
        '',
        '--b',
        'Content-Type: text/plain',
        '',
        'See it.',
        '--b',
        'Content-Type: text/html',
        `Content-Disposition: attachment; filename="${name}"`,
        '',
        content,
        '--b--',
        '',
      ].join('\r\n')
    const fine = await take(attach('plan (a).txt', 'tides'))
    await work()
    const { body: sheet } = await ingrid.get(`/api/own/standby/items/d${fine}`)
    expect(sheet.attachments).toEqual([{ place: 0, name: 'plan (a).txt', size: 5, danger: null }])
    const got = await ingrid.get(`/api/own/standby/items/d${fine}/attachments/0`)
    expect([got.headers['content-type'], got.headers['content-disposition'], String(got.body)]).toEqual([
      'application/octet-stream',
      `attachment; filename="plan _a_.txt"; filename*=UTF-8''plan%20(a).txt`,
      'tides',
    ])
    const bad = await take(attach('setup.vbs', 'x'))
    await execute(
      server.db,
      "UPDATE deliveries SET state = 'deferred', bound_for = 'inbox' WHERE id = :bad",
      { bad },
    )
    expect((await ingrid.get(`/api/own/standby/items/d${bad}/attachments/0`)).body.code).toBe(
      'ATTACHMENT_HARMFUL',
    )
  })

  test('staffers see since when, what waits and for whom; a steward may say so himself', async () => {
    const [oda, per] = [await signedIn(server, 'oda'), await signedIn(server, 'per')]
    await letter()
    await work()
    const { body } = await per.get('/api/stores/outages')
    expect(body.stores).toEqual(['pier'])
    expect(body.outages[0]).toMatchObject({
      store: 'pier',
      declaredBy: '',
      colleagues: 1,
      most: [{ name: 'Ingrid' }],
    })
    expect(body.outages[0].waiting).toBeGreaterThan(0)
    const say = (away: boolean, who = oda, name = 'pier') =>
      who.post('/api/stores/outages', { store: name, away })
    expect((await say(true, per)).status).toBe(403)
    expect((await say(true, oda, 'nowhere')).body.code).toBe('STORE_NOT_FOUND')
    expect((await say(true)).status).toBe(200)
    expect((await per.get('/api/stores/outages')).body.outages[0]).toMatchObject({ declaredBy: 'Oda Rask' })
    await say(false)
    const said = await select<{ act: string }>(
      server.db,
      "SELECT act FROM record_entries WHERE act LIKE 'store-declared%' ORDER BY id",
    )
    expect(said.slice(-2).map(({ act }) => act)).toEqual(['store-declared-away', 'store-declared-back'])
  })

  test('switched off, nobody goes on here', async () => {
    const begun = (await save()).body
    await setOrganisation(server.db, { standby: { on: false, after: 10 } })
    expect((await send(begun)).body.code).toBe('STANDBY_CLOSED')
    expect(await page()).toMatchObject({ state: 'closed', items: [] })
    expect((await save()).body.code).toBe('STANDBY_CLOSED')
    await setOrganisation(server.db, { standby: { on: true, after: 10 } })
  })
})
