import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import type { MailStoreShape } from '@pendro/contract'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow, select } from '../src/db/database.ts'
import { createSecrets, createVault, readKey, seal, unseal } from '../src/outbox/secrets.ts'
import { storeOf } from '../src/outbox/stores.ts'
import { tryStore } from '../src/stores/check.ts'
import { beginMove, workMoves } from '../src/stores/move.ts'
import { createStores } from '../src/stores/stores.ts'
import { lookNow } from '../src/stores/watch.ts'
import { startLiar, type ImapLiar } from './imap-liar.ts'
import { freePort } from './ports.ts'
import { at, routesTo, storeAt } from './store-settings.ts'
import { setOrganisation, signedIn, startTestServer, type TestServer } from './support.ts'

/** Stores that are away, lie, break off or let nobody in: what is said of each, and that nothing is lost. */
let server: TestServer
const key = Buffer.alloc(32, 3)
let kept: string | null = 'a password'
const secrets = createSecrets({ passwordOf: async () => kept }, { passwords: '', authorities: '' })
beforeAll(async () => {
  server = await startTestServer(db => ({
    storeView: { secrets, vault: createVault(db, key), stores: createStores(db, secrets) },
  }))
})
afterAll(() => server.close())

const open: ImapLiar[] = []
afterEach(async () => {
  kept = 'a password'
  for (const one of open.splice(0)) await one.close()
  await execute(server.db, 'DELETE FROM store_moves')
  await execute(server.db, 'DELETE FROM store_folders')
  await execute(server.db, 'DELETE FROM store_mailboxes')
})

const setting = (imap: number, more: Partial<MailStoreShape> = {}) =>
  storeAt({ imap }, { name: 'store', ...more })
const use = (imap: number, more: Partial<MailStoreShape> = {}) =>
  setOrganisation(server.db, { routes: routesTo(setting(imap, more)) })
async function liar(...given: Parameters<typeof startLiar>): Promise<ImapLiar> {
  const one = await startLiar(...given)
  open.push(one)
  await use(one.port)
  return one
}
const now = () => server.clock.now
const look = () =>
  lookNow({ db: server.db, stores: createStores(server.db, secrets), now }, server.mailbox('ingrid'))
const trouble = () =>
  findRow<{ trouble: string; detail: string }>(server.db, 'SELECT trouble, detail FROM store_mailboxes')
const folders = () =>
  select<{ path: string; kind: string }>(server.db, 'SELECT path, kind FROM store_folders ORDER BY path')

describe('looking into a store that is not well', () => {
  test('an honest one is looked into: its junk folder is the one it marks, whatever it is called', async () => {
    const { heard } = await liar(() => undefined)
    expect(await look()).toBe('looked')
    expect(await folders()).toEqual([
      { path: 'INBOX', kind: 'inbox' },
      { path: 'Spam', kind: 'junk' },
    ])
    // RFC 4616 §2: for whom, by whom, with what.
    const [, , initial = ''] = (heard.find(line => line.startsWith('AUTHENTICATE')) ?? '').split(' ')
    expect(Buffer.from(initial, 'base64').toString()).toBe('ingrid@harbour.example\0pendro\0a password')
    // Bodies are nobody's business: only the field is asked for, and without marking anything as read.
    expect(heard.filter(line => /BODY(?!\.PEEK\[HEADER\.FIELDS)/.test(line))).toEqual([])
  })

  type Case = Parameters<typeof startLiar>
  test.each<[what: string, told: string, says: Case[0], greeting?: string]>([
    ['lets nobody in', 'sign-in', c => (c === 'AUTHENTICATE' ? ['NO [AUTHENTICATIONFAILED] no'] : undefined)],
    [
      'has no such mailbox (RFC 5530)',
      'no-mailbox',
      c => (c === 'AUTHENTICATE' ? ['NO [AUTHORIZATIONFAILED] not for you'] : undefined),
    ],
    [
      'can’t check who asks (RFC 5530)',
      'no-answer',
      c => (c === 'AUTHENTICATE' ? ['NO [UNAVAILABLE] later'] : undefined),
    ],
    ['says goodbye at once', 'no-answer', () => undefined, '* BYE too busy'],
    ['breaks off after signing in', 'no-answer', c => (c === 'LIST' ? null : undefined)],
    ['refuses to list', 'refused', c => (c === 'LIST' ? ['NO not now'] : undefined)],
    ['does not know its own commands', 'nonsense', c => (c === 'LIST' ? ['BAD what?'] : undefined)],
    [
      'breaks off while a folder is opened',
      'no-answer',
      c => (c === 'EXAMINE' || c === 'SELECT' ? null : undefined),
    ],
    [
      'answers with a literal of a petabyte',
      'nonsense',
      c => (c === 'LIST' ? ['* LIST () "/" {999999999999999}', 'OK'] : undefined),
    ],
  ])('one that %s', async (_, told, says, greeting) => {
    await liar(says, ...(greeting === undefined ? [] : [greeting]))
    expect(await look()).toBe('trouble')
    expect((await trouble())?.trouble).toBe(told)
    // Nothing half written.
    expect(await folders()).toEqual([])
  })

  test('numbers that can’t be are left out, and names of every kind are kept', async () => {
    await liar((c, args) =>
      c === 'LIST' && args !== '"" ""'
        ? [
            '* LIST () "/" INBOX',
            '* STATUS INBOX (MESSAGES 0 UIDNEXT 1 UIDVALIDITY 7 UNSEEN 5)',
            '* LIST () "/" "&AMU-ker &- \\"R&AOY-v\\""',
            '* STATUS "&AMU-ker &- \\"R&AOY-v\\"" (MESSAGES 0 UIDNEXT 1 UIDVALIDITY 9 UNSEEN 0)',
            '* LIST () "/" Odd',
            '* STATUS Odd (MESSAGES 99999999999999 UIDNEXT 1 UIDVALIDITY 9 UNSEEN 0)',
            '* LIST (\\Noselect) "/" Parent',
            'OK',
          ]
        : undefined,
    )
    expect(await look()).toBe('looked')
    expect((await folders()).map(({ path }) => path)).toEqual(['INBOX', 'Åker & "Ræv"'])
    const [inbox] = await select<{ unread: number }>(
      server.db,
      "SELECT unread FROM store_folders WHERE path = 'INBOX'",
    )
    expect(inbox?.unread).toBe(0)
  })

  test('nobody listens, or no password is kept', async () => {
    await use(await freePort())
    expect([await look(), (await trouble())?.trouble]).toEqual(['trouble', 'no-answer'])
    kept = null
    expect([await look(), (await trouble())?.trouble]).toEqual(['trouble', 'no-password'])
    const since = await findRow<{ trouble_since: Date }>(
      server.db,
      'SELECT trouble_since FROM store_mailboxes',
    )
    expect(since?.trouble_since).toEqual(now())
  })

  test('a password does not go without TLS where TLS is wanted', async () => {
    const { heard, port } = await liar(() => undefined)
    await use(port, { imap: { ...at(port), tls: 'starttls' } })
    expect(await look()).toBe('trouble')
    expect(heard.filter(line => /AUTHENTICATE|LOGIN/.test(line))).toEqual([])
  })
})

describe('moving at a store that is not well', () => {
  const wanted = () => ({
    by: { kind: 'staffer' as const, id: 1, name: 'Oda' },
    mailboxId: server.mailbox('ingrid'),
    from: 'Yard',
    to: 'INBOX',
    deliveries: null,
    reason: '',
    token: crypto.randomUUID(),
    now: now(),
  })
  const stores = () => createStores(server.db, secrets)
  const has = (c: string, args: string) =>
    c === 'UID' && args.startsWith('SEARCH') ? ['* SEARCH 1 2 3', 'OK'] : undefined

  test('one that can’t move without taking what others have marked is not asked to', async () => {
    await liar((c, args) =>
      c === 'CAPABILITY'
        ? ['* CAPABILITY IMAP4rev1 AUTH=PLAIN SASL-IR', 'OK']
        : c === 'AUTHENTICATE'
          ? ['OK [CAPABILITY IMAP4rev1] in']
          : has(c, args),
    )
    await expect(beginMove(server.db, stores(), wanted())).rejects.toThrow(/MOVE/)
    const oda = await signedIn(server, 'oda')
    const { body, status } = await oda.post(`/api/mailboxes/${server.mailbox('ingrid')}/moves`, {
      from: 'Yard',
      token: crypto.randomUUID(),
    })
    expect([status, body.code, body.facts.context]).toEqual([502, 'STORE_TROUBLE', 'refused'])
  })

  test('one that is full says so; the act waits, and is done when there is room', async () => {
    let isFull = true
    await liar((c, args) =>
      c === 'UID' && args.startsWith('MOVE')
        ? isFull
          ? ['NO [OVERQUOTA] no room']
          : ['* OK [COPYUID 7 1:3 11:13]', 'OK']
        : has(c, args),
    )
    const id = await beginMove(server.db, stores(), wanted())
    await workMoves(server.db, stores(), now)
    const row = () =>
      findRow<{ state: string; trouble: string; done: number }>(
        server.db,
        'SELECT state, trouble, done FROM store_moves WHERE id = :id',
        { id },
      )
    expect(await row()).toEqual({ state: 'moving', trouble: 'full', done: 0 })
    isFull = false
    server.clock.now = new Date(now().getTime() + 60_000)
    await workMoves(server.db, stores(), now)
    expect(await row()).toEqual({ state: 'done', trouble: '', done: 3 })
  })

  test('a folder that was made anew meanwhile has other messages: none is moved', async () => {
    let validity = 7
    const { heard } = await liar((c, args) =>
      c === 'EXAMINE' || c === 'SELECT'
        ? ['* 3 EXISTS', `* OK [UIDVALIDITY ${validity}]`, '* OK [UIDNEXT 4]', 'OK [READ-WRITE]']
        : has(c, args),
    )
    await beginMove(server.db, stores(), wanted())
    validity = 8
    await workMoves(server.db, stores(), now)
    expect(heard.filter(line => line.startsWith('UID MOVE'))).toEqual([])
  })

  test('the same request twice is one act', async () => {
    await liar(has)
    const given = wanted()
    const [a, b] = await Promise.all([
      beginMove(server.db, stores(), given),
      beginMove(server.db, stores(), given),
    ])
    expect(a).toBe(b)
    expect(await select(server.db, 'SELECT id FROM store_moves')).toHaveLength(1)
  })
})

describe('passwords', () => {
  test('are sealed with their account’s name: nothing else opens them', () => {
    const sealed = seal(key, 'pendro@imap.example:993', 'sesame')
    expect(unseal(key, 'pendro@imap.example:993', sealed)).toBe('sesame')
    expect(unseal(key, 'pendro@evil.example:993', sealed)).toBe(null)
    expect(unseal(Buffer.alloc(32, 4), 'pendro@imap.example:993', sealed)).toBe(null)
    for (let i = 0; i < sealed.length; i += 1) {
      const changed = Buffer.from(sealed)
      changed[i] = (changed[i] ?? 0) ^ 1
      expect(unseal(key, 'pendro@imap.example:993', changed)).toBe(null)
    }
    expect(sealed.toString('latin1')).not.toContain('sesame')
    // Twice the same is not the same to look at.
    expect(seal(key, 'a', 'sesame').equals(seal(key, 'a', 'sesame'))).toBe(false)
  })

  test('a key is 32 bytes in base64, or none', async () => {
    expect(await readKey('', '')).toBe(null)
    expect(await readKey(key.toString('base64'), '')).toEqual(key)
    await expect(readKey('c2hvcnQ=', '')).rejects.toThrow('PENDRO_SECRETS_KEY')
    await expect(readKey('x'.repeat(44), '')).rejects.toThrow('PENDRO_SECRETS_KEY')
    await expect(readKey('', '/nowhere/key')).rejects.toThrow('ENOENT')
  })

  test('a steward sets one; nobody is told it, and the record has its account alone', async () => {
    const [oda, per] = [await signedIn(server, 'oda'), await signedIn(server, 'per')]
    const account = { user: 'pendro', host: 'imap.harbour.example', port: 993 }
    expect((await per.post('/api/stores/secrets', { account, password: 'sesame' })).status).toBe(403)
    expect((await oda.post('/api/stores/secrets', { account, password: 'open sesame' })).status).toBe(200)
    const { body } = await oda.get('/api/stores')
    expect(body.kept).toEqual([{ account: 'pendro@imap.harbour.example:993', since: expect.any(String) }])
    const tables = await select<{ t: string }>(
      server.db,
      "SELECT table_name AS t FROM information_schema.tables WHERE table_schema = DATABASE() AND table_type = 'BASE TABLE'",
    )
    for (const { t } of tables)
      expect([t, JSON.stringify(await select(server.db, `SELECT * FROM ${t}`))]).toEqual([
        t,
        expect.not.stringContaining('sesame'),
      ])
    const vault = createVault(server.db, key)
    expect(await vault.passwordOf(account)).toBe('open sesame')
    expect(await vault.passwordOf({ ...account, host: 'evil.example' })).toBe(null)
    expect(await createVault(server.db, Buffer.alloc(32, 9)).passwordOf(account)).toBe(null)
    expect((await oda.post('/api/stores/secrets', { account, password: '' })).status).toBe(200)
    expect(await vault.passwordOf(account)).toBe(null)
  })

  test('without a key none is taken', async () => {
    const bare = await startTestServer()
    const oda = await signedIn(bare, 'oda')
    const account = { user: 'pendro', host: 'imap.harbour.example', port: 993 }
    expect((await oda.post('/api/stores/secrets', { account, password: 'x' })).body.code).toBe(
      'NO_SECRETS_KEY',
    )
    await bare.close()
  })
})

describe('whose mailbox is where', () => {
  const stores = [
    setting(1, { name: 'Pier', houses: 'domains', domains: ['pier.example'] }),
    setting(2, { name: 'Yard', houses: 'named' }),
    setting(3, { name: 'Rest', houses: 'rest' }),
  ]
  const of = (address: string, store = '', all = stores) =>
    storeOf({ routes: { smartHosts: [], stores: all } }, { address, store })?.name ?? null
  test.each([
    ['a@pier.example', '', 'Pier'],
    ['a@PIER.example', '', 'Pier'],
    ['a@sub.pier.example', '', 'Rest'],
    ['a@pier.example', 'yard', 'Yard'],
    ['a@pier.example', 'gone', 'Pier'],
    ['a@harbour.example', '', 'Rest'],
  ])('%s of store %j is at %s', (address, store, name) => expect(of(address, store)).toBe(name))
  test('one that nobody named has none of its own', () => {
    expect(of('a@x.example', '', stores.slice(0, 2))).toBe(null)
    expect(storeOf(null, { address: 'a@x.example', store: '' })).toBe(null)
    // Set before stores had names.
    const old = [{ domains: [], hosts: [] }]
    expect(
      storeOf({ routes: { smartHosts: [], stores: old } }, { address: 'a@x.example', store: '' }),
    ).toMatchObject({
      houses: 'rest',
      imap: null,
    })
  })
})

describe('trying a store before it is set', () => {
  let real: RealStore
  beforeAll(async () => {
    real = await startRealStore({ accounts: {}, master: { user: 'pendro', password: 'a password' } })
  })
  afterAll(() => real.close())
  const tried = async (more: Partial<MailStoreShape> = {}) =>
    (
      await tryStore(
        setting(real.ports.imap, {
          hosts: [{ ...at(real.ports.lmtp), protocol: 'lmtp', user: '' }],
          sieve: at(real.ports.sieve),
          ...more,
        }),
        'ingrid@harbour.example',
        secrets,
      )
    ).map(({ step, works, trouble }) => (works ? step : `${step}: ${trouble}`))

  test('what works and what does not, each for itself', async () => {
    expect(await tried()).toEqual(['hand-over', 'imap', 'move', 'junk', 'sieve'])
    expect(await tried({ asideFolder: 'Bulk' })).toContain('aside: refused')
    expect(await tried({ imap: at(await freePort()) })).toEqual(['hand-over', 'imap: no-answer', 'sieve'])
    expect(await tried({ hosts: [{ ...at(await freePort()), protocol: 'lmtp', user: '' }] })).toContain(
      'hand-over: no-answer',
    )
    kept = 'another'
    expect(await tried()).toEqual(['hand-over', 'imap: sign-in', 'sieve: sign-in'])
  })
})
