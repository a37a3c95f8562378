import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test, vi } from 'vitest'
import type { MailStoreShape } from '@pendro/contract'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import type { Bound } from '../src/db/bound.ts'
import { execute, findRow, inTransaction, select, selectBound } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { createSecrets, createVault } from '../src/outbox/secrets.ts'
import { readHere } from '../src/reading/reader.ts'
import { createOutbox, workOutbox } from '../src/outbox/outbox.ts'
import { createWays } from '../src/outbox/ways.ts'
import { createInStore } from '../src/stores/deliver.ts'
import { createIdle, type Idle } from '../src/stores/idle.ts'
import { workMoves } from '../src/stores/move.ts'
import { createStores } from '../src/stores/stores.ts'
import { noteVerdicts } from '../src/stores/verdicts.ts'
import { learnFromMoves } from '../src/reports/moved.ts'
import { lookNow } from '../src/stores/watch.ts'
import {
  arrive,
  log,
  ruling,
  setOrganisation,
  signedIn,
  startTestServer,
  stateOf,
  type TestServer,
} from './support.ts'
import { mailProgram, subjectsByFolder, subjectsByImaplib } from './imap-client.ts'
import { freePort } from './ports.ts'
import { at, routesTo, storeAt } from './store-settings.ts'

/** Debian's Dovecot as the mail store: what it says is what counts here. */
let server: TestServer
let store: RealStore
let idle: Idle
let oda: Awaited<ReturnType<typeof signedIn>>
const password = 'a master password'
const vaultKey = Buffer.alloc(32, 7)
const secrets = createSecrets(
  { passwordOf: async ({ user }) => (user === 'pendro' ? password : null) },
  {
    passwords: '',
    authorities: '',
  },
)
const filing = `require ["fileinto", "mailbox", "variables"];
if header :is "Pendro-Place" "junk" { fileinto :create "Junk"; stop; }
if header :matches "Pendro-Folder" "*" { fileinto :create "\${0}"; stop; }
`

beforeAll(async () => {
  server = await startTestServer(db => ({
    storeView: {
      secrets,
      vault: createVault(db, vaultKey),
      stores: createStores(db, secrets),
      idle: { watch: id => idle.watch(id), stop: () => idle.stop() },
    },
  }))
  store = await startRealStore({
    accounts: { 'ingrid@harbour.example': 'own password' },
    master: { user: 'pendro', password },
    before: filing,
  })
  oda = await signedIn(server, 'oda')
  idle = createIdle({ db: server.db, stores: stores(), log, now })
})
afterAll(async () => {
  await idle.stop()
  await store.close()
  await server.close()
})

const setting = (more: Partial<MailStoreShape> = {}) => storeAt(store.ports, more)
const use = (more: Partial<MailStoreShape> = {}) =>
  setOrganisation(server.db, { routes: routesTo(setting(more)), watching: true })

const stores = () => createStores(server.db, secrets)
const now = () => server.clock.now
const later = (seconds: number) => {
  server.clock.now = new Date(server.clock.now.getTime() + seconds * 1000)
}

/** Hands everything over that waits. */
async function handOver(): Promise<void> {
  const { deps, close } = handing()
  while ((await workOutbox(deps)) > 0);
  close()
}

/** The same with the slots of a server: one message of a mailbox at a time. */
async function handOverBySlots(): Promise<void> {
  const { deps, close } = handing()
  const outbox = createOutbox(deps)
  // What waits behind another of its mailbox can be begun when that has ended.
  do await outbox.stop()
  while ((await outbox.work()) > 0)
  close()
}

function handing() {
  const send = createWays({
    organisation: () => organisationNow(server.db),
    store: { host: '127.0.0.1', port: 9 },
    secrets,
    now,
  })
  const inStore = createInStore(server.db, stores(), now)
  const deps = { db: server.db, send, log, now, letter: async () => null, inStore }
  return { deps, close: () => send.close() }
}

const asColleague = (user: string) => mailProgram(store.ports.imap, user, password)

/** What an IMAP client of the colleague’s own sees: subjects by folder. */
const seen = (user = 'ingrid@harbour.example') => subjectsByFolder(asColleague(user))

/** When the store says messages of a subject were received (INTERNALDATE). */
async function inboxDates(subject: string): Promise<number[]> {
  const client = asColleague('ingrid@harbour.example')
  await client.connect()
  await client.mailboxOpen('INBOX', { readOnly: true })
  const all = await client.fetchAll('1:*', { envelope: true, internalDate: true })
  await client.logout()
  return all.flatMap(({ envelope, internalDate }) =>
    envelope?.subject === subject ? [new Date(internalDate ?? 0).getTime()] : [],
  )
}

/** A mail program of the colleague’s moves a message. */
async function moves(
  subject: string,
  from: string,
  to: string,
  user = 'ingrid@harbour.example',
): Promise<void> {
  const client = asColleague(user)
  await client.connect()
  await client.mailboxCreate(to).catch(() => {})
  await client.mailboxOpen(from)
  const uids = (await client.search({ subject }, { uid: true })) || []
  await client.messageMove([...uids], to, { uid: true })
  await client.logout()
}

/** A mail program of the colleague’s removes a message for good. */
async function removes(subject: string): Promise<void> {
  const client = asColleague('ingrid@harbour.example')
  await client.connect()
  await client.mailboxOpen('INBOX')
  await client.messageDelete([...((await client.search({ subject }, { uid: true })) || [])], { uid: true })
  await client.logout()
}

const look = (name = 'ingrid') => lookNow({ db: server.db, stores: stores(), now }, server.mailbox(name))
const copies = (deliveryId: number) =>
  select<{ path: string; seen: number; put_by: string; gone: number }>(
    server.db,
    `SELECT f.path, c.seen, c.put_by, c.gone_at IS NOT NULL AS gone FROM store_copies c JOIN store_folders f ON f.id = c.folder_id
     WHERE c.delivery_id = :deliveryId ORDER BY c.id`,
    { deliveryId },
  )
const state = (id: number) => stateOf(server.db, id)

let serial = 0
const letter = async (more: object = {}, to = 'ingrid') => {
  serial += 1
  const subject = `Berth ${serial} list`
  const [id = 0] = await arrive(server, { to: [`${to}@harbour.example`], subject, ...more })
  return { id, subject }
}

/** In the junk folder of the store. */
const junk = async () => {
  await setOrganisation(server.db, {
    watching: false,
    limits: { junk: 1, quarantined: 99.9, nearCertain: 99.9 },
  })
  const made = await letter()
  await handOver()
  await look()
  return made
}

beforeEach(() => use())

describe('looking into mailboxes', () => {
  test('what was handed over is found where it is, unread', async () => {
    const { id, subject } = await letter()
    await handOver()
    expect((await seen())['INBOX']).toContain(subject)
    expect(await look()).toBe('looked')
    expect(await copies(id)).toEqual([{ path: 'INBOX', seen: 0, put_by: 'arrival', gone: 0 }])
  })

  test('what a mail program moves is followed, and told as moved by it', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    await moves(subject, 'INBOX', 'Yard')
    later(60)
    await look()
    expect(await copies(id)).toEqual([
      { path: 'INBOX', seen: 0, put_by: 'arrival', gone: 1 },
      { path: 'Yard', seen: 0, put_by: 'colleague', gone: 0 },
    ])
  })
})

describe('what a release comes to', () => {
  test('what is in the junk folder is moved, and nobody has it twice', async () => {
    const { id, subject } = await junk()
    expect([await state(id), (await seen())['Junk']]).toEqual(['junk', [subject]])
    const { status } = await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    expect(status).toBe(200)
    await handOver()
    expect(await state(id)).toBe('released')
    const folders = await seen()
    expect(folders['Junk']).toBeUndefined()
    expect(folders['INBOX']?.filter(one => one === subject)).toEqual([subject])
    expect((await copies(id)).at(-1)).toEqual({ path: 'INBOX', seen: 0, put_by: 'pendro', gone: 0 })
    // The next look finds what is known.
    later(60)
    await look()
    expect(await copies(id)).toHaveLength(2)
  })

  test('moved to the inbox just before, and not looked at since: it is there once all the same', async () => {
    const { id, subject } = await junk()
    await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    // As by the colleague, or by a process that was killed before it could note it.
    await moves(subject, 'Junk', 'INBOX')
    await handOver()
    expect(await state(id)).toBe('released')
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
  })

  test('released before anybody has looked where it is: it is moved, and there once', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 99.9, nearCertain: 99.9 },
    })
    const { id, subject } = await letter()
    await handOver()
    await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    await handOver()
    const folders = await seen()
    expect(folders['Junk'] ?? []).not.toContain(subject)
    expect(folders['INBOX']?.filter(one => one === subject)).toEqual([subject])
    // Whoever moves it on at once, before any look, is told of as such: that Pendro had put it there is known.
    await moves(subject, 'INBOX', 'Later')
    await look()
    const copies = await select(
      server.db,
      'SELECT c.put_by, f.path FROM store_copies c JOIN store_folders f ON f.id = c.folder_id WHERE c.delivery_id = :id ORDER BY c.id',
      { id },
    )
    expect(copies).toEqual([
      { put_by: 'pendro', path: 'INBOX' },
      { put_by: 'colleague', path: 'Later' },
    ])
  })

  test('moved by a mail program it is released, and junk again when it is moved back', async () => {
    const { id, subject } = await junk()
    await moves(subject, 'Junk', 'INBOX')
    later(60)
    await look()
    expect(await state(id)).toBe('released')
    await moves(subject, 'INBOX', 'Junk')
    later(60)
    await look()
    expect(await state(id)).toBe('junk')
    expect((await copies(id)).map(({ path, put_by, gone }) => `${path} ${put_by} ${gone}`)).toEqual([
      'Junk arrival 1',
      'INBOX colleague 1',
      'Junk colleague 0',
    ])
  })

  test('what was never there is handed over, or put there with its own date', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 1, nearCertain: 99.9 },
    })
    await use({ releases: 'append' })
    await setOrganisation(server.db, { watching: false })
    const { id, subject } = await letter()
    const receivedAt = now()
    expect(await state(id)).toBe('quarantined')
    later(3600)
    await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    await handOver()
    expect(await state(id)).toBe('released')
    const dates = await inboxDates(subject)
    expect(dates).toHaveLength(1)
    // To the second, as IMAP has it.
    expect(Math.floor((dates[0] ?? 0) / 1000)).toBe(Math.floor(receivedAt.getTime() / 1000))
  })
})

describe('a block in a mailbox', () => {
  test('takes the message at hand out of sight, too, says so before, and brings it back with its undo', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    const { sentence } = ruling([id], { sender: 'blocked' })
    const { body: reach } = await oda.post('/api/rulings/reach', { deliveries: [id], sentence })
    expect(reach.toJunk).toBe(1)
    const { body } = await oda.post('/api/rulings', ruling([id], { sender: 'blocked' }))
    await workMoves(server.db, stores(), now)
    const folders = await seen()
    expect([folders['Junk'], folders['INBOX'] ?? []]).toEqual([
      expect.arrayContaining([subject]),
      expect.not.arrayContaining([subject]),
    ])
    const { body: account } = await oda.get(`/api/whereabouts/${id}/account`)
    expect(account.hit.journey.at(-1)).toMatchObject({
      kind: 'moved-by-desk',
      facts: { folder: 'Junk', read: 'unread' },
    })
    await oda.post(`/api/rulings/${body.id}/undo`, {})
    await workMoves(server.db, stores(), now)
    expect((await seen())['INBOX']).toContain(subject)
  })

  test('for all colleagues, or with the message released, moves nothing', async () => {
    const { id } = await letter()
    await handOver()
    await look()
    for (const more of [{ sender: 'blocked', for: 'everyone' }, { sender: 'safe' }]) {
      const { sentence } = ruling([id], more)
      const { body } = await oda.post('/api/rulings/reach', { deliveries: [id], sentence })
      expect(body.toJunk).toBe(0)
    }
  })
})

describe('what is said of where mail is', () => {
  test('a folder, since when, unread, and who moved it; never the inbox of what is not there', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    await moves(subject, 'INBOX', 'Yard')
    later(60)
    // The page looks by itself.
    const { body } = await oda.get(`/api/whereabouts/${id}/account`)
    const here = body.hit.journey.find(({ stage }: { stage: string }) => stage === 'here')
    expect(here).toMatchObject({
      kind: 'moved-by-program',
      at: now().toISOString(),
      facts: { folder: 'Yard', place: 'other', read: 'unread' },
    })
    expect(body.explanations.en).toContain('A mail program moved it to the folder “Yard”')
    expect(body.explanations.en).not.toContain('delivered to your inbox')
  })

  test('what a rule has put into a folder, and the store has not, is where the store has it', async () => {
    const { id } = await letter()
    await execute(
      server.db,
      "UPDATE deliveries SET bound_for = 'moved', folder = 'Cranes' WHERE id = :id AND state = 'deferred'",
      { id },
    )
    await execute(
      server.db,
      "UPDATE outbox SET place = 'moved' WHERE subject_id = :id AND kind = 'delivery'",
      {
        id,
      },
    )
    await handOver()
    expect(await state(id)).toBe('moved')
    // By a hand, or a filter of the store’s own, before anybody has looked.
    const client = asColleague('ingrid@harbour.example')
    await client.connect()
    await client.mailboxOpen('Cranes')
    await client.messageMove('1:*', 'INBOX')
    await client.logout()
    later(60)
    const { body } = await oda.get(`/api/whereabouts/${id}/account`)
    const here = body.hit.journey.find(({ stage }: { stage: string }) => stage === 'here')
    expect(here).toMatchObject({
      kind: 'found-in',
      facts: { folder: 'INBOX', place: 'inbox', read: 'unread' },
    })
  })

  test('what a mail program threw away is no longer there', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    await removes(subject)
    later(60)
    const { body } = await oda.get(`/api/whereabouts/${id}/account`)
    expect(body.hit.journey.at(-1)).toMatchObject({ kind: 'gone-from-store', facts: { place: 'inbox' } })
    expect(body.explanations.nb).toContain('ikke lenger der')
  })
})

describe('a try that nobody heard the end of', () => {
  test('what the store has already is not handed over again', async () => {
    const { id, subject } = await letter()
    await handOver()
    // As a process that was killed after the store had said yes leaves it.
    await execute(server.db, "UPDATE deliveries SET state = 'deferred', bound_for = 'inbox' WHERE id = :id", {
      id,
    })
    await execute(
      server.db,
      "UPDATE outbox SET done_at = NULL, claimed_until = :past WHERE kind = 'delivery' AND subject_id = :id",
      { id, past: new Date(now().getTime() - 1000) },
    )
    await handOver()
    expect(await state(id)).toBe('inbox')
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
  })

  test('several for one mailbox: those that wait for their turn are asked about, too', async () => {
    const letters = await Promise.all(Array.from({ length: 6 }, () => letter()))
    await handOver()
    const ids = letters.map(({ id }) => id)
    await execute(
      server.db,
      "UPDATE deliveries SET state = 'deferred', bound_for = 'inbox' WHERE id IN (:ids)",
      { ids },
    )
    await execute(
      server.db,
      "UPDATE outbox SET done_at = NULL, claimed_until = :past WHERE kind = 'delivery' AND subject_id IN (:ids)",
      { ids, past: new Date(now().getTime() - 1000) },
    )
    await handOverBySlots()
    const inbox = (await seen())['INBOX'] ?? []
    for (const { subject } of letters)
      expect([subject, inbox.filter(one => one === subject).length]).toEqual([subject, 1])
    for (const id of ids) expect(await state(id)).toBe('inbox')
  })

  test('a release that may have arrived is not called back: nobody is told that it stayed', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 1, nearCertain: 99.9 },
    })
    const undone = async (begun: string) => {
      const { id } = await letter()
      await handOver()
      const { body } = await oda.post('/api/rulings', ruling([id], { message: 'release' }))
      await execute(
        server.db,
        `UPDATE outbox SET ${begun} WHERE kind = 'delivery' AND subject_id = :id AND place = 'released'`,
        { id, past: new Date(now().getTime() - 1000) },
      )
      const answer = await oda.post(`/api/rulings/${body.id}/undo`, {})
      return [answer.body.stayedReleased, await state(id)]
    }
    expect(await undone('attempts = 0')).toEqual([0, 'quarantined'])
    // By a process that was killed, or by a try that nobody heard the end of.
    expect(await undone('claimed_until = :past')).toEqual([1, 'deferred'])
    expect(await undone('unsure = TRUE, attempts = 1')).toEqual([1, 'deferred'])
    await handOver()
    await use()
  })

  test('what it has not is', async () => {
    const { id, subject } = await letter()
    await execute(
      server.db,
      "UPDATE outbox SET claimed_until = :past WHERE kind = 'delivery' AND subject_id = :id",
      { id, past: new Date(now().getTime() - 1000) },
    )
    await handOver()
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
    expect(await state(id)).toBe('inbox')
  })

  test('nothing is handed over while the store can’t be asked', async () => {
    const { id, subject } = await letter()
    await use({ imap: at(await freePort()) })
    await execute(
      server.db,
      "UPDATE outbox SET claimed_until = :past WHERE kind = 'delivery' AND subject_id = :id",
      { id, past: new Date(now().getTime() - 1000) },
    )
    await handOver()
    const job = await findRow<{ unsure: number; problem: string }>(
      server.db,
      "SELECT unsure, problem FROM outbox WHERE kind = 'delivery' AND subject_id = :id",
      { id },
    )
    expect([await state(id), job]).toEqual(['deferred', { unsure: 1, problem: 'store-not-asked' }])
    await use()
    later(60)
    await handOver()
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
  })
})

// Whoever claims passes over what is locked: a mailbox's later message would go before its earlier one.
test('what is held while outcomes are written down is what was sent, and not all that waits', async () => {
  for (let i = 0; i < 3; i += 1) await letter()
  const query = vi.spyOn(server.db, 'query')
  await handOver()
  const calls = query.mock.calls.map(([sql, options]) => ({
    sql: String(sql),
    bind: (options as unknown as Bound | undefined)?.bind ?? [],
  }))
  query.mockRestore()
  const holding = calls.filter(({ sql }) => /^SELECT id FROM outbox .*FOR UPDATE$/s.test(sql))
  expect(holding.length).toBeGreaterThan(0)
  // The fewer wait, the likelier the index of what is due is taken; now nothing does.
  for (const { sql, bind } of holding) {
    const plan = await selectBound<{ key: string | null }>(server.db, { sql: `EXPLAIN ${sql}`, bind })
    expect(plan.map(({ key }) => key)).toEqual(['PRIMARY'])
  }
})

describe('moving', () => {
  test('all of a folder goes to the inbox, and back', async () => {
    const { body: before } = await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}/store`)
    expect(before.folders.map(({ path }: { path: string }) => path)).toContain('Yard')
    const there = (await seen())['Yard']
    const id = server.mailbox('ingrid')
    const begun = await oda.post(`/api/mailboxes/${id}/moves`, { from: 'Yard', token: randomUUID() })
    expect([begun.status, begun.body]).toEqual([200, { move: expect.any(Number) }])
    await workMoves(server.db, stores(), now)
    expect((await seen())['Yard']).toBeUndefined()
    const inbox = { user: 'ingrid@harbour.example', password, folder: 'INBOX' }
    const second = await subjectsByImaplib(store.ports.imap, inbox)
    expect(second.sort()).toEqual((await seen())['INBOX']?.sort())
    for (const subject of there ?? []) expect(second.filter(one => one === subject)).toHaveLength(1)
    await oda.post(`/api/store-moves/${begun.body.move}/undo`, {})
    await workMoves(server.db, stores(), now)
    expect((await seen())['Yard']).toEqual(there)
  })
})

describe('who looks into the junk folder', () => {
  const looks = async () => {
    const { body } = await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}`)
    return body.looks as { junk: string | null; junkFolder: { total: number; unread: number } }
  }
  const opens = async (subject: string, folder: string) => {
    const client = asColleague('ingrid@harbour.example')
    await client.connect()
    await client.mailboxOpen(folder)
    await client.messageFlagsAdd((await client.search({ subject }, { uid: true })) || [], ['\\Seen'], {
      uid: true,
    })
    await client.logout()
    later(60)
    await look()
  }

  test('whoever opens a message there has; whoever opens one in the inbox has not', async () => {
    const other = await letter()
    const { subject } = await junk()
    const before = await looks()
    expect(before.junk).toBeNull()
    await opens(other.subject, 'INBOX')
    expect((await looks()).junk).toBeNull()
    await opens(subject, 'Junk')
    const after = await looks()
    expect(after.junk).not.toBeNull()
    expect(after.junkFolder).toEqual({ ...before.junkFolder, unread: before.junkFolder.unread - 1 })
  })

  test('what was read elsewhere and moved there is no look', async () => {
    const { subject } = await letter()
    await handOver()
    await look()
    await execute(server.db, 'DELETE FROM mailbox_looks')
    await opens(subject, 'INBOX')
    await moves(subject, 'INBOX', 'Junk')
    later(60)
    await look()
    expect(await looks()).toMatchObject({ junk: null })
  })
})

describe('what colleagues move in their mail programs teaches', () => {
  const everybody = ['ingrid', 'aksel', 'kari', 'bookings']
  const user = (name: string) => `${name}@harbour.example`
  const learn = () => learnFromMoves(server.db, { read: readHere.read, now })
  const lessons = (cluster: string) =>
    select<{ verdict: string; counted: number }>(
      server.db,
      'SELECT verdict, counted FROM lessons WHERE cluster_key = :cluster',
      { cluster },
    )
  const clusterOf = async (id: number) =>
    (
      await findRow<{ k: string }>(server.db, 'SELECT cluster_key AS k FROM deliveries WHERE id = :id', {
        id,
      })
    )?.k ?? ''
  /** The same mailing to all of them, handed over. */
  const mailing = async () => {
    serial += 1
    const subject = `Offer ${serial} ${randomUUID().slice(0, 8)}`
    const words = Array.from({ length: 40 }, () => randomUUID().slice(0, 6)).join(' ')
    const ids = await arrive(server, { to: everybody.map(user), subject, body: words })
    await handOver()
    for (const name of everybody) await look(name)
    return { ids, subject, cluster: await clusterOf(ids[0] ?? 0) }
  }
  /** One after the other, with a look after each. */
  const move = async (names: readonly string[], subject: string, from: string, to: string) => {
    for (const name of names) {
      await moves(subject, from, to, user(name))
      later(60)
      await look(name)
    }
  }
  const listed = async (who = oda) =>
    (await who.get('/api/review?states=moved')).body.rows as {
      subject: string
      moved: { as: string; colleagues: number }
    }[]

  beforeEach(() => execute(server.db, 'DELETE FROM colleague_moves'))

  test('three that agree teach once, and it can be undone for good', async () => {
    const { subject, cluster } = await mailing()
    await move(['ingrid', 'aksel'], subject, 'INBOX', 'Junk')
    expect([await learn(), await lessons(cluster)]).toEqual([0, []])
    await move(['kari'], subject, 'INBOX', 'Junk')
    expect([await learn(), await learn()]).toEqual([1, 0])
    expect(await lessons(cluster)).toEqual([{ verdict: 'junk', counted: 1 }])
    const { body } = await oda.get('/api/record?what=rulings&who=pendro')
    const line = body.lines[0]
    expect(line).toMatchObject({
      by: 'Pendro',
      facts: { message: 'moved', learn: 'junk', colleagues: 3 },
    })
    expect((await oda.post(`/api/rulings/${line.rulingId}/undo`, {})).status).toBe(200)
    expect([await lessons(cluster), await learn(), await lessons(cluster)]).toEqual([[], 0, []])
  })

  test('one who moves ever so much is one; who moves it back has said nothing', async () => {
    const { subject, cluster, ids } = await mailing()
    await execute(
      server.db,
      `INSERT INTO colleague_moves (delivery_id, mailbox_id, cluster_key, verdict, at)
       SELECT id, :mailbox, :cluster, 'junk', :now FROM deliveries WHERE cluster_key <> :cluster LIMIT 10`,
      { mailbox: server.mailbox('ingrid'), cluster, now: now() },
    )
    await move(['aksel', 'kari'], subject, 'INBOX', 'Junk')
    await move(['kari'], subject, 'Junk', 'INBOX')
    expect([ids.length, await learn(), await lessons(cluster)]).toEqual([4, 0, []])
  })

  test('where they don’t agree nothing is learned', async () => {
    const first = await mailing()
    await move(['ingrid', 'aksel', 'kari'], first.subject, 'INBOX', 'Junk')
    await execute(server.db, "UPDATE colleague_moves SET verdict = 'wanted' WHERE mailbox_id = :kari", {
      kari: server.mailbox('kari'),
    })
    expect([await learn(), await lessons(first.cluster)]).toEqual([0, []])
  })

  test('out of junk it was wanted', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 99.9, nearCertain: 99.9 },
    })
    const { subject, cluster } = await mailing()
    expect((await seen(user('bookings')))['Junk']).toContain(subject)
    await move(['ingrid', 'kari', 'bookings'], subject, 'Junk', 'INBOX')
    expect([await learn(), await lessons(cluster)]).toEqual([1, [{ verdict: 'wanted', counted: 1 }]])
  })

  test('where a staffer has ruled already nothing is added', async () => {
    const { ids, subject, cluster } = await mailing()
    await oda.post('/api/rulings', ruling([ids[3] ?? 0], { message: 'leave', learn: 'wanted' }))
    await move(['ingrid', 'aksel', 'kari'], subject, 'INBOX', 'Junk')
    expect([await learn(), (await lessons(cluster)).map(({ verdict }) => verdict)]).toEqual([0, ['wanted']])
  })

  test('switched off nothing is; Review lists what was moved all the same', async () => {
    await setOrganisation(server.db, { moves: { learn: false } })
    const { subject, cluster } = await mailing()
    await move(['ingrid', 'aksel', 'kari'], subject, 'INBOX', 'Junk')
    expect([await learn(), await lessons(cluster)]).toEqual([0, []])
    const rows = await listed()
    expect(rows.find(row => row.subject === subject)?.moved).toEqual({ as: 'junk', colleagues: 3 })
    await setOrganisation(server.db, { moves: { learn: true } })
  })

  test('of one mailbox fifty a day are noted', async () => {
    for (let i = 0; i < 52; i += 1) await letter()
    const found = await select<{ id: number; cluster: string }>(
      server.db,
      'SELECT id, cluster_key AS cluster FROM deliveries ORDER BY id DESC LIMIT 52',
    )
    const moved = found.map(({ id, cluster }) => ({
      deliveryId: id,
      kind: 'junk' as const,
      state: 'inbox' as const,
      cameFrom: null,
      cluster,
    }))
    const note = () =>
      inTransaction(server.db, tx =>
        noteVerdicts(server.db, tx, { mailboxId: server.mailbox('ingrid'), moved, now: now() }),
      )
    await note()
    await note()
    const noted = await findRow<{ n: number }>(server.db, 'SELECT COUNT(*) AS n FROM colleague_moves')
    expect(noted?.n).toBe(50)
  })
})

describe('a mailbox that somebody has before them', () => {
  const unread = async () => {
    const { body } = await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}/store`)
    const folders = body.folders as { path: string; total: number; unread: number }[]
    return folders.find(({ path }) => path === 'INBOX')
  }
  /** Nothing is looked at here but what the store says by itself (RFC 2177). */
  const until = async (wanted: object) => {
    for (let i = 0; i < 100; i += 1) {
      const found = await unread()
      if (found && Object.entries(wanted).every(([name, n]) => found[name as 'total'] === n)) return found
      await new Promise(resolve => setTimeout(resolve, 50))
    }
    return unread()
  }

  test('shows what changes there without being asked to look: new mail, what is read, and what is gone', async () => {
    await use()
    await look()
    const { total = 0, unread: before = 0 } = (await unread()) ?? {}
    const events = () =>
      findRow<{ n: number }>(
        server.db,
        "SELECT COUNT(*) AS n FROM live_events WHERE kind = 'mailbox' AND by_name = ''",
      )
    const told = (await events())?.n ?? 0
    const client = asColleague('ingrid@harbour.example')
    await client.connect()
    await client.append('INBOX', 'Subject: Seen at once\r\n\r\nhi\r\n')
    const came = { total: total + 1, unread: before + 1 }
    expect(await until(came)).toMatchObject(came)
    await client.mailboxOpen('INBOX')
    const uids = (await client.search({ subject: 'Seen at once' }, { uid: true })) || []
    await client.messageFlagsAdd([...uids], ['\\Seen'], { uid: true })
    const read = { total: total + 1, unread: before }
    expect(await until(read)).toMatchObject(read)
    await client.messageDelete([...uids], { uid: true })
    expect(await until({ total })).toMatchObject({ total })
    await client.logout()
    // Other screens are told.
    expect((await events())?.n ?? 0).toBeGreaterThan(told)
  })
})
