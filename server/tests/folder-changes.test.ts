import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow, select } from '../src/db/database.ts'
import { workOutbox } from '../src/outbox/outbox.ts'
import { createSecrets } from '../src/outbox/secrets.ts'
import { createStores } from '../src/stores/stores.ts'
import { lookNow } from '../src/stores/watch.ts'
import { mailProgram } from './imap-client.ts'
import { startLiar, type ImapLiar, type Says } from './imap-liar.ts'
import { routesTo, storeAt } from './store-settings.ts'
import { handingTo } from './store-world.ts'
import { arrive, setOrganisation, startTestServer, type TestServer } from './support.ts'

/** Changes that stores count (RFC 7162): what happened in a folder is told by its mod-sequence, where there is one. */
let server: TestServer
const password = 'a master password'
const secrets = createSecrets({ passwordOf: async () => password }, { passwords: '', authorities: '' })
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

const now = () => server.clock.now
const use = (imap: number, lmtp?: number) =>
  setOrganisation(server.db, {
    routes: routesTo(storeAt({ imap, ...(lmtp !== undefined && { lmtp }) })),
    watching: true,
  })
const stores = () => createStores(server.db, secrets)
/** By somebody who waits for it; else in its turn. */
const look = (urgent = true) =>
  lookNow({ db: server.db, stores: stores(), now }, server.mailbox('ingrid'), urgent)
/** Copies that are there, with whether they were opened, by number. */
const copies = async () =>
  Object.fromEntries(
    (
      await select<{ uid: number; seen: number }>(
        server.db,
        'SELECT uid, seen FROM store_copies WHERE gone_at IS NULL ORDER BY uid',
      )
    ).map(({ uid, seen }) => [uid, seen === 1]),
  )

const modSeq = async () =>
  (await findRow<{ mod_seq: string }>(server.db, "SELECT mod_seq FROM store_folders WHERE path = 'INBOX'"))
    ?.mod_seq

describe('a real store', () => {
  let store: RealStore
  const ingrid = 'ingrid@harbour.example'
  beforeAll(async () => {
    store = await startRealStore({ accounts: {}, master: { user: 'pendro', password } })
  })
  afterAll(() => store.close())

  async function acts(act: (client: ReturnType<typeof mailProgram>) => Promise<unknown>): Promise<void> {
    const client = mailProgram(store.ports.imap, ingrid, password)
    await client.connect()
    await client.mailboxOpen('INBOX')
    await act(client)
    await client.logout()
  }

  test('one opened and another marked as unread between two looks are both seen', async () => {
    await use(store.ports.imap, store.ports.lmtp)
    for (const subject of ['Berth list', 'Lamp list', 'Crane list'])
      await arrive(server, { to: [ingrid], subject })
    const { deps, close } = handingTo({ db: server.db, secrets, now })
    while ((await workOutbox(deps)) > 0);
    close()
    await acts(client => client.messageFlagsAdd('1', ['\\Seen'], { uid: true }))
    expect(await look()).toBe('looked')
    expect(await copies()).toEqual({ 1: true, 2: false, 3: false })
    expect(await modSeq()).toMatch(/^[1-9]\d*$/)

    // As many are there as before, and as many unread.
    await acts(async client => {
      await client.messageFlagsRemove('1', ['\\Seen'], { uid: true })
      await client.messageFlagsAdd('3', ['\\Seen'], { uid: true })
    })
    await look()
    expect(await copies()).toEqual({ 1: false, 2: false, 3: true })

    // In its turn a store is not asked to count, and tells it all the same once a folder is opened.
    await acts(client => client.messageDelete('2', { uid: true }))
    const before = await modSeq()
    await look(false)
    expect(BigInt((await modSeq()) ?? 0)).toBeGreaterThan(BigInt(before ?? 0))
    expect(await copies()).toEqual({ 1: false, 3: true })
  })
})

describe('a store that says what RFC 7162 has as its examples', () => {
  const open: ImapLiar[] = []
  const id = { of: 0 }
  beforeEach(async () => {
    for (const table of ['store_folders', 'store_mailboxes']) await execute(server.db, `DELETE FROM ${table}`)
    const [first] = await arrive(server, { to: ['ingrid@harbour.example'], subject: 'Told' })
    id.of = first ?? 0
  })
  afterEach(async () => {
    for (const one of open.splice(0)) await one.close()
  })

  interface Folder {
    readonly status: string
    /** What is answered to UID FETCH and to UID SEARCH. */
    readonly fetch?: readonly string[]
    readonly search?: string
  }
  /** The folder as it is now; a test changes it. */
  async function liar(
    folder: Folder,
    capabilities = 'CONDSTORE ENABLE',
  ): Promise<{ folder: Folder; heard: string[] }> {
    const said = { folder, heard: [] as string[] }
    const all = `IMAP4rev1 LIST-STATUS UIDPLUS ${capabilities}`
    const says = (command: string, args: string): ReturnType<Says> | undefined => {
      if (command === 'CAPABILITY') return [`* CAPABILITY ${all} AUTH=PLAIN SASL-IR`, 'OK']
      if (command === 'AUTHENTICATE') return [`OK [CAPABILITY ${all}] in`]
      // RFC 7162 §3.1.
      if (command === 'ENABLE') return ['* ENABLED CONDSTORE', 'OK']
      if (command === 'LIST' && args !== '"" ""')
        return ['* LIST () "/" INBOX', `* STATUS INBOX (${said.folder.status})`, 'OK']
      if (command === 'EXAMINE' || command === 'SELECT')
        return ['* 172 EXISTS', '* OK [UIDVALIDITY 3857529045]', '* OK [UIDNEXT 4392]', 'OK [READ-ONLY] done']
      if (command === 'UID' && /^FETCH/i.test(args)) return [...(said.folder.fetch ?? []), 'OK']
      if (command === 'UID' && /^SEARCH/i.test(args)) return [`* SEARCH${said.folder.search ?? ''}`, 'OK']
      return undefined
    }
    const one = await startLiar(says)
    open.push(one)
    await use(one.port)
    return Object.assign(said, { heard: one.heard })
  }
  const status = (modSeq: string, more = 'MESSAGES 3 UNSEEN 1 UIDNEXT 10') =>
    `${more} UIDVALIDITY 3857529045 HIGHESTMODSEQ ${modSeq}`
  const known = async (modSeq: string) => {
    await execute(
      server.db,
      `INSERT INTO store_folders (mailbox_id, path, kind, total, unread, uid_validity, uid_next, mod_seq, looked_at)
       VALUES (:mailbox, 'INBOX', 'inbox', 3, 1, 3857529045, 10, :modSeq, :now)`,
      { mailbox: server.mailbox('ingrid'), modSeq, now: now() },
    )
    for (const [uid, seen] of [
      [4, 0],
      [5, 1],
      [6, 1],
    ])
      await execute(
        server.db,
        `INSERT INTO store_copies (delivery_id, folder_id, uid, seen, found_at, put_by)
         SELECT :id, id, :uid, :seen, :now, 'arrival' FROM store_folders`,
        { id: id.of, uid, seen, now: now() },
      )
  }
  const asked = (heard: readonly string[], what: RegExp) => heard.filter(line => what.test(line))

  test('only what has changed since is asked for (§3.1.4.1), and what is not told is as it was', async () => {
    await known('715194045007')
    const { heard } = await liar({
      status: status('715194045319'),
      // §3.1.4.1: "* 5 FETCH (UID 12 MODSEQ (320162342) …" with our numbers.
      fetch: [
        '* 1 FETCH (UID 4 MODSEQ (715194045319) FLAGS (\\Seen))',
        '* 2 FETCH (UID 5 MODSEQ (715194045318) FLAGS ())',
      ],
    })
    expect(await look()).toBe('looked')
    expect(await copies()).toEqual({ 4: true, 5: false, 6: true })
    expect(asked(heard, /^UID FETCH/)).toEqual([expect.stringMatching(/\(CHANGEDSINCE 715194045007\)$/)])
    // As many as before, and nothing new: nothing can have gone.
    expect(asked(heard, /^UID SEARCH/)).toEqual([])
    expect(await look()).toBe('looked')
    expect(asked(heard, /^UID/)).toHaveLength(1)
  })

  test('what went is found where fewer are there', async () => {
    await known('100')
    const { heard } = await liar({
      status: status('101', 'MESSAGES 2 UNSEEN 0 UIDNEXT 10'),
      search: ' 5 6',
    })
    await look()
    expect(await copies()).toEqual({ 5: true, 6: true })
    expect(asked(heard, /^UID SEARCH/)).toHaveLength(1)
  })

  test.each<[what: string, kept: string, told: string]>([
    ['stands still though something has changed', '100', status('100', 'MESSAGES 3 UNSEEN 2 UIDNEXT 10')],
    ['went back', '100', status('99')],
    ['is 0: the folder has none (§3.1.2.2)', '100', status('0', 'MESSAGES 3 UNSEEN 2 UIDNEXT 10')],
    ['is more than 63 bits (§7)', '100', status('9223372036854775808', 'MESSAGES 3 UNSEEN 2 UIDNEXT 10')],
    ['was never told before', '', status('100', 'MESSAGES 3 UNSEEN 2 UIDNEXT 10')],
  ])('one whose count %s is asked about all of them', async (_, kept, told) => {
    await known(kept)
    const { heard } = await liar({
      status: told,
      fetch: ['* 1 FETCH (UID 4 FLAGS ())', '* 2 FETCH (UID 5 FLAGS ())'],
    })
    expect(await look()).toBe('looked')
    expect(await copies()).toEqual({ 4: false, 5: false })
    expect(asked(heard, /CHANGEDSINCE/)).toEqual([])
  })

  test('one that does not count is not asked to', async () => {
    await known('')
    const { heard } = await liar(
      {
        status: 'MESSAGES 3 UNSEEN 2 UIDNEXT 10 UIDVALIDITY 3857529045',
        fetch: ['* 1 FETCH (UID 4 FLAGS ())'],
      },
      '',
    )
    expect(await look()).toBe('looked')
    expect(await copies()).toEqual({ 4: false })
    expect(asked(heard, /MODSEQ|CHANGEDSINCE|ENABLE CONDSTORE/)).toEqual([])
  })
})
