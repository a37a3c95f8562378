import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow } from '../src/db/database.ts'
import { createSecrets } from '../src/outbox/secrets.ts'
import { beginMove, undoMove, workMoves } from '../src/stores/move.ts'
import { createStores } from '../src/stores/stores.ts'
import { cutOff, type CutOff } from './cut-off.ts'
import { mailProgram, subjectsByFolder } from './imap-client.ts'
import { routesTo, storeAt } from './store-settings.ts'
import { setOrganisation, startTestServer, type TestServer } from './support.ts'

/** Moves whose end nobody hears, at Debian's Dovecot: what went is found again, and can be taken back as if it had been heard. */
let server: TestServer
let store: RealStore
const password = 'a master password'
const ingrid = 'ingrid@harbour.example'
const secrets = createSecrets({ passwordOf: async () => password }, { passwords: '', authorities: '' })
const by = { kind: 'staffer', id: 1, name: 'Oda' } as const
beforeAll(async () => {
  server = await startTestServer()
  store = await startRealStore({ accounts: {}, master: { user: 'pendro', password } })
})
afterAll(async () => {
  await store.close()
  await server.close()
})

const now = () => server.clock.now
const stores = () => createStores(server.db, secrets)
const use = (imap: number) => setOrganisation(server.db, { routes: routesTo(storeAt({ imap })) })
const open: CutOff[] = []
async function over(...given: Parameters<typeof cutOff> extends [number, ...infer Rest] ? Rest : never) {
  const cut = await cutOff(store.ports.imap, ...given)
  open.push(cut)
  await use(cut.port)
}
const program = () => mailProgram(store.ports.imap, ingrid, password)
const seen = async () => {
  const { INBOX: inbox = [], Yard: yard = [] } = await subjectsByFolder(program())
  return { inbox: [...inbox].sort(), yard: [...yard].sort() }
}

const text = (subject: string, id = subject) =>
  `From: yard@quay-lamps.example\r\nTo: ${ingrid}\r\nSubject: ${subject}\r\nMessage-ID: <${id}@quay-lamps.example>\r\n\r\nReady.\r\n`
/** What is in the folder at the beginning. */
async function yard(count: number): Promise<string[]> {
  const subjects = Array.from({ length: count }, (_, i) => `Lamp ${String(i).padStart(3, '0')}`)
  const client = program()
  await client.connect()
  await client.mailboxCreate('Yard').catch(() => {})
  for (const folder of ['INBOX', 'Yard']) {
    await client.mailboxOpen(folder)
    await client.messageDelete('1:*').catch(() => {})
  }
  await client.append('INBOX', text('Here before'))
  for (const subject of subjects) await client.append('Yard', text(subject))
  await client.logout()
  return subjects
}
const begin = () =>
  beginMove(server.db, stores(), {
    by,
    mailboxId: server.mailbox('ingrid'),
    from: 'Yard',
    to: 'INBOX',
    deliveries: null,
    reason: '',
    token: crypto.randomUUID(),
    now: now(),
  })
const moveOf = (id: number) =>
  findRow<{ state: string; done: number; begun: unknown; trouble: string }>(
    server.db,
    'SELECT state, done, begun, trouble FROM store_moves WHERE id = :id',
    { id },
  )
/** Works until nothing is due; a minute passes between two tries. */
async function work(): Promise<void> {
  for (let i = 0; i < 5; i += 1) {
    server.clock.now = new Date(server.clock.now.getTime() + 60_000)
    while ((await workMoves(server.db, stores(), now)) > 0);
  }
}

beforeEach(async () => {
  await execute(server.db, 'DELETE FROM store_moves')
  await use(store.ports.imap)
})
afterEach(async () => {
  for (const one of open.splice(0)) await one.close()
})

describe('a move whose end nobody hears', () => {
  test.each<[what: string, cut: Parameters<typeof cutOff>[1]]>([
    ['since the store breaks off after it has moved', { answer: ' UID MOVE ' }],
    ['since the store breaks off before it moves', { asked: ' UID MOVE ' }],
    ['is as one that is heard', {}],
    // MOVE without UIDPLUS: RFC 6851 §4.3 only says that it should.
    [
      'of which the store does not say where it went',
      { says: said => said.replace(/\[COPYUID [^\]]*\] ?/g, '') },
    ],
  ])('%s: all of it arrives once, and all of it goes back', async (_, cut) => {
    const subjects = await yard(205)
    const id = await begin()
    await over(cut)
    await workMoves(server.db, stores(), now)
    if (cut.says === undefined) await use(store.ports.imap)
    await work()
    expect(await moveOf(id)).toEqual({ state: 'done', done: 205, begun: null, trouble: '' })
    expect(await seen()).toEqual({ inbox: ['Here before', ...subjects], yard: [] })
    await undoMove(server.db, by, id, now())
    await work()
    expect(await moveOf(id)).toMatchObject({ state: 'undone', begun: null })
    expect(await seen()).toEqual({ inbox: ['Here before'], yard: subjects })
  })

  test('is taken back before anybody knows how far it came: all of it goes back', async () => {
    const subjects = await yard(12)
    const id = await begin()
    await over({ answer: ' UID MOVE ' })
    await workMoves(server.db, stores(), now)
    expect((await seen()).inbox).toHaveLength(13)
    await use(store.ports.imap)
    await undoMove(server.db, by, id, now())
    await work()
    expect(await moveOf(id)).toMatchObject({ state: 'undone', begun: null })
    expect(await seen()).toEqual({ inbox: ['Here before'], yard: subjects })
  })

  test('and its undo, whose end nobody hears either', async () => {
    const subjects = await yard(12)
    const id = await begin()
    await work()
    await undoMove(server.db, by, id, now())
    await over({ answer: ' UID MOVE ' })
    await workMoves(server.db, stores(), now)
    await use(store.ports.imap)
    await work()
    expect(await moveOf(id)).toMatchObject({ state: 'undone', done: 12, begun: null })
    expect(await seen()).toEqual({ inbox: ['Here before'], yard: subjects })
  })

  test('does not take for its own what came meanwhile, or was there before', async () => {
    await yard(0)
    const client = program()
    await client.connect()
    // The same twice: one that stays where it is, and one that is moved.
    await client.append('INBOX', text('Twice'))
    await client.append('Yard', text('Twice'))
    await client.append('Yard', text('Once'))
    const id = await begin()
    await over({ answer: ' UID MOVE ' })
    await workMoves(server.db, stores(), now)
    await client.append('INBOX', text('Meanwhile'))
    await client.logout()
    await use(store.ports.imap)
    await work()
    await undoMove(server.db, by, id, now())
    await work()
    expect(await seen()).toEqual({ inbox: ['Here before', 'Meanwhile', 'Twice'], yard: ['Once', 'Twice'] })
  })
})
