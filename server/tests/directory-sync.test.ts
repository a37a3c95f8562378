import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { planDirectory } from '@pendro/core/directory'
import type { DirectoryOutcome } from '@pendro/contract'
import { execute, select } from '../src/db/database.ts'
import { lookAtDirectory, workDirectory } from '../src/mailboxes/sync.ts'
import {
  base,
  bindDn,
  bindPassword,
  group,
  person,
  referralTo,
  startLdap,
  top,
  type LdapServer,
} from './ldap-server.ts'
import { log, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let ldap: LdapServer
let oda: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  ldap = await startLdap()
  oda = await signedIn(server, 'oda')
  await ldap.fill(ldifOf(500))
})
afterAll(async () => {
  await ldap.stop()
  await server.close()
})
beforeEach(() => setTo({}))

const departments = ['Bridge', 'Engine', 'Økonomi']
const names = (n: number) => Array.from({ length: n }, (_, i) => `p${i}`)
const ldifOf = (n: number, more: readonly string[] = []) =>
  [
    ...top,
    ...names(n).map((uid, i) =>
      person({
        uid,
        name: `Åse ${i}`,
        department: departments[i % 3] ?? '',
        language: i % 2 === 0 ? 'no' : 'sv-SE',
      }),
    ),
    ...more,
  ].join('\n\n')

interface Setting {
  readonly [key: string]: unknown
}
const usual = (): Setting => ({
  url: ldap.url,
  startTls: false,
  bindDn,
  base,
  people: '(&(objectClass=inetOrgPerson)(mail=*))',
  groups: '(&(objectClass=groupOfNames)(mail=*))',
  attributes: {
    address: 'mail',
    name: 'displayName',
    department: 'departmentNumber',
    aliases: 'labeledURI',
    language: 'preferredLanguage',
    members: 'member',
  },
  share: 5,
  hourly: false,
})
const setTo = (change: Setting) =>
  execute(
    server.db,
    "UPDATE organisation SET settings = JSON_SET(settings, '$.directory', JSON_EXTRACT(:value, '$'))",
    {
      value: JSON.stringify({ ...usual(), ...change }),
    },
  )
const sync = async (act: 'look' | 'take', closes = 0) =>
  (await oda.post('/api/directory/sync', { act, closes, token: randomUUID() })).body as DirectoryOutcome & {
    code?: string
    text?: string
    facts?: { context?: string }
  }
/** As a process does that knows another password, or whose certificates are to be believed. */
const lookWith = (access: { readonly password: string; readonly ca: string }) =>
  lookAtDirectory({
    ...access,
    db: server.db,
    plan: (...given) => planDirectory(...given),
    now: server.clock.now,
  })
const open = async () => {
  const [row] = await select<{ n: number }>(
    server.db,
    'SELECT COUNT(*) AS n FROM mailboxes WHERE closed_at IS NULL',
  )
  return row?.n ?? 0
}
const mailbox = async (address: string) => {
  const [row] = await select<{
    id: number
    department: string
    language: string
    name: string
    closed: number
  }>(
    server.db,
    `SELECT b.id, b.department, b.language, b.name, b.closed_at IS NOT NULL AS closed FROM mailbox_addresses a
     JOIN mailboxes b ON b.id = a.mailbox_id WHERE a.address = :address`,
    { address },
  )
  return row
}

describe('from a real directory (Debian’s slapd)', () => {
  test('500 mailboxes: seen first, taken over, and again is nothing', async () => {
    const before = await open()
    expect(await sync('look')).toMatchObject({ add: 500, change: 0, close: 0, wrong: 0, act: null })
    expect(await open()).toBe(before)
    const taken = await sync('take')
    expect(taken).toMatchObject({ add: 500 })
    expect(await open()).toBe(before + 500)
    expect(await mailbox('p4@harbour.example')).toMatchObject({
      name: 'Åse 4',
      department: 'Engine',
      language: 'nb',
    })
    // A language that digests are not written in is left to the usual.
    expect(await mailbox('p5@harbour.example')).toMatchObject({ department: 'Økonomi', language: 'en' })
    expect((await sync('take')).code).toBe('NOTHING_TO_DO')
    const { body } = await oda.get('/api/mailboxes/table?department=Bridge&limit=200')
    expect(body.total).toBe(167)
    // What was there by hand is none of the directory's.
    expect(await mailbox('kari@harbour.example')).toMatchObject({ closed: 0 })
  })
  test('groups become shared mailboxes with their members as minders; aliases come with their scheme or without', async () => {
    await ldap.fill(
      ldifOf(499, [
        person({ uid: 'boss', aliases: ['smtp:chief@harbour.example', 'x400:c=no', 'head@harbour.example'] }),
        group('Pier desk', 'pier@harbour.example', ['p1', 'boss', 'nobody']),
      ]),
    )
    expect(await sync('take')).toMatchObject({ add: 2, close: 1, change: 0 })
    const pier = await mailbox('pier@harbour.example')
    const { body } = await oda.get(`/api/mailboxes/${pier?.id}`)
    expect(body.mailbox).toMatchObject({ kind: 'shared', name: 'Pier desk' })
    expect(body.mailbox.minders.map(({ name }: { name: string }) => name).sort()).toEqual(
      ['boss', 'Åse 1'].sort(),
    )
    expect((await mailbox('chief@harbour.example'))?.id).toBe((await mailbox('boss@harbour.example'))?.id)
    expect(await mailbox('p499@harbour.example')).toMatchObject({ closed: 1 })
  })
  test('a new address is the same mailbox by another name', async () => {
    const was = await mailbox('p7@harbour.example')
    // The number for good is the entry's own; slapadd gives new ones, so that it is said here.
    const [row] = await select<{ directory_id: string }>(
      server.db,
      'SELECT directory_id FROM mailboxes WHERE id = :id',
      {
        id: was?.id ?? 0,
      },
    )
    const people = ldifOf(499).replace(
      person({ uid: 'p7', name: 'Åse 7', department: 'Engine', language: 'sv-SE' }),
      `${person({ uid: 'p7', name: 'Åse 7', department: 'Engine', language: 'sv-SE', mail: 'aase.syv@harbour.example' })}\nentryUUID: ${row?.directory_id}`,
    )
    expect(people).toContain('entryUUID')
    await ldap.fill(people)
    await sync('take', 10)
    expect((await mailbox('aase.syv@harbour.example'))?.id).toBe(was?.id)
    expect(await mailbox('p7@harbour.example')).toBeUndefined()
  })
  test('more than the share closes nothing until a steward says how many; by itself all but the closing is done', async () => {
    await ldap.fill(ldifOf(300, [person({ uid: 'fresh' })]))
    const before = await open()
    const refused = await sync('take')
    expect(refused).toMatchObject({ code: 'TOO_MANY_CLOSE' })
    expect(refused.text).toMatch(/close \d+ of \d+ mailboxes, more than 5 %/)
    expect(await open()).toBe(before)
    await setTo({ hourly: true })
    const work = () =>
      workDirectory({
        db: server.db,
        plan: (...given) => planDirectory(...given),
        password: bindPassword,
        ca: '',
        log,
        now: () => server.clock.now,
      })
    expect(await work()).toBe(1)
    // The new one, and the one whose name the directory took back.
    expect(await open()).toBe(before + 2)
    // Not due again within the hour.
    expect(await work()).toBe(0)
    const seen = await sync('look')
    expect(seen.close).toBeGreaterThan(190)
    expect((await sync('take', seen.close - 1)).code).toBe('TOO_MANY_CLOSE')
    expect((await sync('take', seen.close)).close).toBe(seen.close)
    // They come back as they were, by the directory.
    await ldap.fill(ldifOf(320, [person({ uid: 'fresh' })]))
    expect(await sync('take')).toMatchObject({ reopen: 20, close: 0 })
  })
  test('a part that another server holds, or that leads back here, is not followed, and told', async () => {
    await ldap.fill(ldifOf(320, [person({ uid: 'fresh' }), referralTo(ldap.url)]))
    // Counted and told: whoever is there is not read.
    expect(await sync('look')).toMatchObject({ add: 0, close: 0, elsewhere: 1 })
  })
  test('one address of two people: the second is told, and the rest is done', async () => {
    await ldap.fill(
      ldifOf(320, [
        person({ uid: 'fresh' }),
        person({ uid: 'other', mail: 'P3@harbour.example' }),
        person({ uid: 'odd', mail: 'x@elsewhere.example' }),
      ]),
    )
    const seen = await sync('look')
    expect(seen).toMatchObject({ wrong: 2, close: 0 })
    expect(
      seen.answers
        .slice(0, 2)
        .map(({ problem }) => problem?.code)
        .sort(),
    ).toEqual(['not-ours', 'twice'])
  })
})

describe('what goes wrong is said, and nothing is changed', () => {
  test.each<[string, Setting, string]>([
    ['nobody listens', { url: 'ldap://127.0.0.1:9' }, 'unreachable'],
    ['a wrong name', { bindDn: `cn=somebody,${base}` }, 'not-let-in'],
    ['no such base', { base: 'dc=other,dc=example' }, 'no-base'],
    ['a filter that is none', { people: '((((' }, 'bad-filter'],
    ['a filter nobody fits', { people: '(uid=nobody)' }, 'nobody'],
    ['no encryption there', { startTls: true }, 'no-tls'],
  ])('%s', async (_what, change, problem) => {
    await setTo(change)
    const before = await open()
    expect(await sync('take')).toMatchObject({ code: 'DIRECTORY_FAILED', facts: { context: problem } })
    expect(await open()).toBe(before)
  })
  test('a name without a password is not let in as nobody', async () => {
    const look = lookWith({ password: '', ca: '' })
    await expect(look).rejects.toMatchObject({ facts: { context: 'not-let-in' } })
  })
  test('none is set', async () => {
    await setTo({ url: '' })
    expect((await sync('look')).code).toBe('NO_DIRECTORY')
  })
})

describe('encryption', () => {
  const ways = (): readonly (readonly [string, Setting])[] => [
    ['StartTLS (RFC 4511 §4.14)', { startTls: true }],
    ['TLS from the start', { url: ldap.tlsUrl }],
  ]
  test.each([0, 1])(
    'a certificate is believed when whoever signed it is, and only for its own name (%i)',
    async way => {
      const [, setting] = ways()[way] ?? ['', {}]
      await setTo(setting)
      const access = { password: bindPassword, ca: ldap.ca }
      expect((await lookWith(access)).of).toBeGreaterThan(300)
      // Whoever signed it is nobody we know.
      const unknown = lookWith({ ...access, ca: '' })
      await expect(unknown).rejects.toMatchObject({ code: 'DIRECTORY_FAILED' })
      // The right server by another name: whoever answers there might be somebody else.
      const { url = ldap.url } = setting as { url?: string }
      await setTo({ ...setting, url: url.replace('127.0.0.1', 'localhost') })
      await expect(lookWith(access)).rejects.toMatchObject({ code: 'DIRECTORY_FAILED' })
      await setTo(setting)
      const noFile = lookWith({ ...access, ca: '/nowhere/ca.pem' })
      await expect(noFile).rejects.toMatchObject({ facts: { context: 'no-ca' } })
    },
  )
})
