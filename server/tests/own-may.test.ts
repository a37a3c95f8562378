import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { endpoints } from '@pendro/contract/all-endpoints'
import { ownParts, type OwnMay, type OwnPart } from '@pendro/contract'
import { execute } from '../src/db/database.ts'
import { does, draft } from './mail-rule-tools.ts'
import { arrive, asColleague, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
type Colleague = Awaited<ReturnType<typeof asColleague>>
let ingrid: Colleague
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  await execute(server.db, "UPDATE mailboxes SET department = 'Port' WHERE address LIKE 'aksel@%'")
})
afterAll(() => server.close())

const all: OwnMay = { digests: true, senders: true, away: true, rules: true }
const now = async () => (await oda.get('/api/organisation/settings')).body['own-pages'] as object
const set = async (to: object) =>
  oda.post('/api/organisation/settings/changes', {
    change: { what: 'own-pages', was: await now(), to },
    token: randomUUID(),
  })

const day = (offset: number) =>
  new Date(server.clock.now.getTime() + offset * 86_400_000).toISOString().slice(0, 10)
const settings = { language: 'en', listsJunk: false, listsNearCertain: false }

let serial = 0
/** A change of each part, as the own pages send it. */
const tries: Readonly<
  Record<OwnPart, (who: Colleague) => Promise<{ status: number; body: { code?: string } }>>
> = {
  digests: async who =>
    who.post('/api/own/settings', { ...settings, schedule: { times: ['06:30'], weekdays: [1] } }),
  senders: async who =>
    who.post('/api/own/senders', {
      add: [{ pattern: `a${randomUUID()}@sender.example`, standing: 'safe' }],
      token: randomUUID(),
    }),
  away: async who => {
    const { away } = (await who.get('/api/own/away')).body as { away: object[] }
    const period = { from: day(3), back: day(5 + (serial += 1)), digestsTo: '' }
    return who.post('/api/own/away', { was: away, to: [period], token: randomUUID() })
  },
  rules: async who =>
    who.post('/api/own/rules/changes', {
      change: { act: 'add', draft: draft({ action: does({ place: { kind: 'folder', folder: 'News' } }) }) },
      token: randomUUID(),
    }),
}

beforeEach(async () => {
  ingrid = await asColleague(server, 'ingrid')
})

describe('what colleagues do themselves', () => {
  test.each(ownParts)(
    '%s: not where the organisation keeps it to itself, and the other parts stay',
    async part => {
      await set({ all: { ...all, [part]: false }, departments: [] })
      const session = (await ingrid.get('/api/own/session')).body as { may: OwnMay }
      expect(session.may).toEqual({ ...all, [part]: false })
      for (const other of ownParts) {
        const { status, body } = await tries[other](ingrid)
        if (other === part) expect(body.code).toBe('NOT_ON_OWN_PAGE')
        else expect([other, status]).toEqual([other, 200])
      }
      await set({ all, departments: [] })
      expect((await tries[part](ingrid)).status).toBe(200)
    },
  )

  test('a department may differ, either way', async () => {
    const aksel = await asColleague(server, 'aksel')
    await set({
      all: { ...all, senders: false },
      departments: [{ department: 'Port', may: { ...all, digests: false } }],
    })
    expect((await tries.senders(ingrid)).body.code).toBe('NOT_ON_OWN_PAGE')
    expect((await tries.senders(aksel)).status).toBe(200)
    expect((await tries.digests(ingrid)).status).toBe(200)
    expect((await tries.digests(aksel)).body.code).toBe('NOT_ON_OWN_PAGE')
    const line = { department: 'Port', may: all }
    expect((await set({ all, departments: [line, line] })).body.code).toBe('BAD_SETTING')
    expect((await set({ all, departments: [{ department: 'Nowhere', may: all }] })).body.code).toBe(
      'DEPARTMENT_NOT_FOUND',
    )
    // One whose last mailbox has gone may stay where it stands.
    await execute(server.db, "UPDATE mailboxes SET department = 'Pier' WHERE department = 'Port'")
    expect((await set({ all, departments: [line] })).status).toBe(200)
    await execute(server.db, "UPDATE mailboxes SET department = 'Port' WHERE department = 'Pier'")
  })

  test('language and what a digest lists stay theirs where its times do not', async () => {
    await set({ all: { ...all, digests: false }, departments: [] })
    const { schedule } = (await ingrid.get('/api/own/settings')).body as { schedule: object | null }
    expect((await ingrid.post('/api/own/settings', { ...settings, language: 'nb', schedule })).status).toBe(
      200,
    )
    await set({ all, departments: [] })
  })

  test('a message can always be sent to oneself; its sender is trusted or refused only with lists of one’s own', async () => {
    await set({ all: { ...all, senders: false }, departments: [] })
    const deliveries = await arrive(server)
    const act = (name: string) => ingrid.post('/api/own/acts', { deliveries, act: name, token: randomUUID() })
    expect((await act('send-trust')).body.code).toBe('NOT_ON_OWN_PAGE')
    expect((await act('refuse')).body.code).toBe('NOT_ON_OWN_PAGE')
    expect((await act('send')).status).toBe(200)
    await set({ all, departments: [] })
  })

  test('before it is set it says how many have something of their own, each counted where it is about them', async () => {
    await set({ all, departments: [] })
    for (const part of ['senders', 'away'] as const) await tries[part](await asColleague(server, 'aksel'))
    const effect = async (to: object) =>
      (
        await oda.post('/api/organisation/settings/effect', {
          change: { what: 'own-pages', was: await now(), to },
        })
      ).body.facts as Record<string, number>
    const everybody = await effect({ all: { ...all, senders: false, away: false }, departments: [] })
    const unlike = { department: 'Port', may: all }
    const others = await effect({ all: { ...all, senders: false, away: false }, departments: [unlike] })
    const onlyPort = await effect({
      all,
      departments: [{ department: 'Port', may: { ...all, senders: false, away: false } }],
    })
    for (const part of ['senders', 'away'])
      expect((others[part] ?? 0) + (onlyPort[part] ?? 0)).toBe(everybody[part] ?? 0)
    expect(onlyPort['senders']).toBe(1)
  })
})

test('each request of a colleague that changes something says whether the organisation may keep it to itself', () => {
  const always = [
    'leaveOwn',
    'eraseOwn',
    'undoOwn',
    'undoOwnChange',
    'askOwnDigest',
    'askWhere',
    'readOwnQuestion',
    'writeOwnQuestion',
    'setOwnJunk',
    'chooseOwnPassword',
    'revokeOwn',
    'previewOwnRules',
    // While their mail store is away; the organisation has its own switch for all of it.
    'saveStandbyDraft',
    'attachToDraft',
    'detachFromDraft',
    'dropStandbyDraft',
    'sendStandbyDraft',
  ]
  const unsaid = Object.entries(endpoints)
    .filter(([, { roles, method, own }]) => roles === 'colleague' && method !== 'get' && own === 'always')
    .map(([name]) => name)
  expect(unsaid.sort()).toEqual(always.sort())
})
