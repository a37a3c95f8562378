import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { plainStore, type OrganisationSettingsShape } from '@pendro/contract'
import { execute } from '../src/db/database.ts'
import { readOrganisation } from '../src/db/organisation.ts'
import { settingNames } from '../src/mailboxes/setting-values.ts'
import { startLiar } from './identity-provider.ts'
import { arrive, signedIn, startTestServer, stateOf, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: typeof oda
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  // Who asks a second factor of everybody has one.
  await execute(
    server.db,
    "INSERT INTO staffer_factors (staffer_id, kind, name, made_at) SELECT id, 'code', '', NOW() FROM staffers WHERE sign_in = 'oda'",
  )
  per = await signedIn(server, 'per')
})
afterAll(async () => {
  await liar.close()
  await server.close()
})

const read = async () => (await per.get('/api/organisation/settings')).body as OrganisationSettingsShape
const set = (what: string, was: unknown, to: unknown, by = oda) =>
  by.post('/api/organisation/settings/changes', { change: { what, was, to }, token: randomUUID() })
const undo = (change: number) => oda.post(`/api/mailbox-changes/${change}/undo`, {})
const effect = async (what: string, was: unknown, to: unknown) =>
  (await per.post('/api/organisation/settings/effect', { change: { what, was, to } })).body as {
    facts?: Record<string, number>
    code?: string
  }

const directory = {
  url: 'ldap://directory.harbour.example',
  startTls: true,
  bindDn: 'cn=reader,dc=harbour,dc=example',
  base: 'dc=harbour,dc=example',
  people: '(mail=*)',
  groups: '',
  attributes: { address: 'mail', name: 'cn', department: '', aliases: '', language: '', members: '' },
  share: 3,
  hourly: true,
}

// Asked before it is set.
const liar = await startLiar()
const limitsOfPeers = { connections: 5, perMinute: 60, recipients: 100, megabytes: 10 }
const peers = { others: 'refused', listed: { ...limitsOfPeers, connections: 50 }, unlisted: limitsOfPeers }
const routeHost = {
  host: '192.0.2.9',
  port: 587,
  protocol: 'smtp',
  tls: 'starttls',
  certificate: '',
  user: 'pendro',
}
const imapAt = { host: '192.0.2.9', port: 143, tls: 'starttls', certificate: '' }
/** A mail store that mail is only handed to. */
const mailStore = {
  ...plainStore,
  houses: 'domains',
  domains: ['harbour.example'],
  hosts: [{ ...routeHost, tls: 'off', user: '' }],
}
const provider = {
  name: 'Harbour account',
  issuer: liar.issuer,
  clientId: 'pendro',
  groupsClaim: 'groups',
  grants: [{ group: 'stewards', role: 'steward', departments: null }],
  colleagues: true,
  passwords: true,
}

/** Another value of each, as it is typed and as it is kept. */
const others: Readonly<Record<string, readonly [typed: unknown, kept: unknown]>> = {
  name: [
    { name: 'Harbour Line', timeZone: 'Europe/Warsaw' },
    { name: 'Harbour Line', timeZone: 'Europe/Warsaw' },
  ],
  'own-domains': [
    ['harbour.example', 'HARBØR.example', 'harbour.example'],
    ['harbour.example', 'xn--harbr-yua.example'],
  ],
  gateways: [
    {
      trustedHosts: ['MX.Harbour.example'],
      networks: ['192.0.2.0/24', '2001:db8::/32'],
      arcSealers: ['lists.example'],
    },
    {
      trustedHosts: ['mx.harbour.example'],
      networks: ['192.0.2.0/24', '2001:db8::/32'],
      arcSealers: ['lists.example'],
    },
  ],
  stores: [['192.0.2.9'], ['192.0.2.9']],
  providers: [
    { shared: ['freemail.example'], fileHosts: ['files.dropshelf.example'], shorteners: ['s.example'] },
    { shared: ['freemail.example'], fileHosts: ['files.dropshelf.example'], shorteners: ['s.example'] },
  ],
  forbidden: [
    ['macro', 'script', 'macro'],
    ['macro', 'script'],
  ],
  'digest-times': [
    { times: ['16:00', '07:30'], weekdays: [1, 3] },
    { times: ['07:30', '16:00'], weekdays: [1, 3] },
  ],
  addresses: [
    {
      digests: 'Kept@harbour.example',
      reports: 'reports@harbour.example',
      help: 'help@harbour.example',
      postmaster: '',
    },
    {
      digests: 'kept@harbour.example',
      reports: 'reports@harbour.example',
      help: 'help@harbour.example',
      postmaster: '',
    },
  ],
  peers: [peers, peers],
  outgoing: [
    { mode: 'copy', servers: ['192.0.2.0/24', '192.0.2.0/24'], journal: 'Journal@harbour.example' },
    { mode: 'copy', servers: ['192.0.2.0/24'], journal: 'journal@harbour.example' },
  ],
  routes: [
    {
      smartHosts: [{ ...routeHost, host: 'OUT.harbour.example' }],
      stores: [
        {
          ...mailStore,
          domains: ['HARBØR.example'],
          imap: imapAt,
          identity: { ...mailStore.identity, user: 'pendro' },
        },
        { ...mailStore, houses: 'rest', hosts: [] },
      ],
    },
    {
      smartHosts: [{ ...routeHost, host: 'out.harbour.example' }],
      stores: [
        {
          ...mailStore,
          domains: ['xn--harbr-yua.example'],
          imap: imapAt,
          identity: { ...mailStore.identity, user: 'pendro' },
        },
      ],
    },
  ],
  standby: [
    { on: false, after: 30, webhook: ' https://gateway.example/send ' },
    { on: false, after: 30, webhook: 'https://gateway.example/send' },
  ],
  moves: [{ learn: false }, { learn: false }],
  'reaching-out': [
    { pictures: false, unsubscribe: true },
    { pictures: false, unsubscribe: true },
  ],
  'second-factor': ['required', 'required'],
  directory: [directory, directory],
  'identity-provider': [provider, provider],
  letters: [
    {
      language: 'nb',
      welcome: { en: 'Rooms are on\r\nthe pier.', nb: '', de: '', pl: '' },
      foot: { en: 'Help desk:\u0007 pier 3', nb: 'Brukerstøtten', de: '', pl: '' },
    },
    {
      language: 'nb',
      welcome: { en: 'Rooms are on\nthe pier.', nb: '', de: '', pl: '' },
      foot: { en: 'Help desk:  pier 3', nb: 'Brukerstøtten', de: '', pl: '' },
    },
  ],
  'own-pages': [
    {
      all: { digests: false, senders: true, away: true, rules: true },
      departments: [{ department: '', may: { digests: true, senders: true, away: true, rules: true } }],
    },
    { all: { digests: false, senders: true, away: true, rules: true }, departments: [] },
  ],
}

describe('settings of the organisation', () => {
  test('there is a case for each', () => expect(Object.keys(others).sort()).toEqual([...settingNames].sort()))

  test.each(Object.entries(others))(
    '%s: changed, kept as it is meant, in the record, undone',
    async (what, [typed, kept]) => {
      const before = (await read())[what as 'stores']
      expect((await set(what, before, typed, per)).body.code).toBe('NEEDS_STEWARD')
      const made = await set(what, before, typed)
      expect(made.status).toBe(200)
      expect((await read())[what as 'stores']).toEqual(kept)
      // Somebody who saw what was before is told; the same again is nothing.
      expect((await set(what, before, typed)).body.code).toBe('MAILBOX_CHANGED')
      expect((await set(what, kept, kept)).body.code).toBe('NOTHING_TO_DO')
      const { body } = await oda.get('/api/record?what=mailboxes&who=everybody')
      expect(body.lines[0]).toMatchObject({ act: 'organisation-setting', facts: { what } })
      expect((await undo(made.body.change)).status).toBe(200)
      expect((await read())[what as 'stores']).toEqual(before)
      expect((await undo(made.body.change)).body.code).toBe('ALREADY_UNDONE')
    },
  )

  test('what was built on a change keeps it from being undone', async () => {
    const before = (await read()).stores
    const first = await set('stores', before, ['192.0.2.1'])
    const second = await set('stores', ['192.0.2.1'], ['192.0.2.2'])
    expect((await undo(first.body.change)).body.code).toBe('MAILBOX_CHANGED')
    await undo(second.body.change)
    expect((await undo(first.body.change)).status).toBe(200)
    expect((await read()).stores).toEqual(before)
  })

  test.each([
    ['own-domains', ['not a domain'], /not a domain/],
    ['own-domains', ['co.uk'], /co\.uk/],
    ['gateways', { trustedHosts: [], networks: ['192.0.2.300'], arcSealers: [] }, /192\.0\.2\.300/],
    ['stores', ['anywhere'], /anywhere/],
    ['stores', ['192.0.2.1', '0.0.0.0/0'], /0\.0\.0\.0/],
    ['stores', ['::/0'], /::/],
    ['providers', { shared: ['x y'], fileHosts: [], shorteners: [] }, /x y/],
    ['addresses', { digests: 'kept@elsewhere.example', reports: '', help: '', postmaster: '' }, /elsewhere/],
    [
      'addresses',
      { digests: 'kept@harbour.example', reports: 'kept@harbour.example', help: '', postmaster: '' },
      /kept@harbour/,
    ],
  ])('%s: what can’t be is refused by its line, before and at the act', async (what, to, line) => {
    const before = await read()
    const was = before[what as 'stores']
    const refused = await set(what, was, to)
    expect(refused.body).toMatchObject({ code: 'BAD_SETTING' })
    expect(refused.body.text).toMatch(line)
    expect((await effect(what, was, to)).code).toBe('BAD_SETTING')
    expect(await read()).toEqual(before)
  })
  test('an address of Pendro is nobody’s mailbox, and a postmaster is somebody’s', async () => {
    const was = (await read()).addresses
    const refused = async (to: object, code: string) => {
      expect((await set('addresses', was, { ...was, ...to })).body.code).toBe(code)
      expect((await effect('addresses', was, { ...was, ...to })).code).toBe(code)
    }
    await refused({ reports: 'kari@harbour.example' }, 'ADDRESS_OF_MAILBOX')
    await refused({ digests: 'kari@harbour.example' }, 'ADDRESS_OF_MAILBOX')
    await refused({ postmaster: 'nobody@harbour.example' }, 'NO_POSTMASTER')
    expect((await read()).addresses).toEqual(was)
  })

  test('an own domain stays while an address of Pendro is at it, and so does one that was added for it', async () => {
    const { 'own-domains': domains, addresses } = await read()
    const without = domains.filter((one: string) => one !== 'harbour.example')
    expect((await set('own-domains', domains, [...without, 'other.example'])).body.code).toBe('ADDRESS_STAYS')
    const added = await set('own-domains', domains, [...domains, 'pier.example'])
    const moved = await set('addresses', addresses, { ...addresses, help: 'help@pier.example' })
    expect((await undo(added.body.change)).body.code).toBe('ADDRESS_STAYS')
    await undo(moved.body.change)
    expect((await undo(added.body.change)).status).toBe(200)
    expect((await read())['own-domains']).toEqual(domains)
  })

  test('mail always has a way in: strangers are refused only while a gateway is listed, and the last gateway stays while they are', async () => {
    const { gateways, peers: was } = await read()
    const refusing = { ...was, others: 'refused' }
    const none = { ...gateways, networks: [] }
    const emptied = await set('gateways', gateways, none)
    expect((await effect('peers', was, refusing)).code).toBe('GATEWAYS_FIRST')
    expect((await set('peers', was, refusing)).body.code).toBe('GATEWAYS_FIRST')
    await undo(emptied.body.change)
    const refused = await set('peers', was, refusing)
    expect((await set('gateways', gateways, none)).body.code).toBe('GATEWAYS_FIRST')
    expect((await read()).gateways).toEqual(gateways)
    await undo(refused.body.change)
    const again = await set('gateways', gateways, none)
    expect(again.status).toBe(200)
    await undo(again.body.change)
  })

  test('what colleagues send has somewhere to go, and copies an address that is nobody’s', async () => {
    const { outgoing, routes } = await read()
    const relay = { ...outgoing, mode: 'relay' }
    const out = { smartHosts: [routeHost], stores: [] }
    expect((await set('outgoing', outgoing, relay)).body.code).toBe('SMART_HOST_FIRST')
    const routed = await set('routes', routes, out)
    const relayed = await set('outgoing', outgoing, relay)
    expect((await set('routes', out, routes)).body.code).toBe('SMART_HOST_FIRST')
    expect((await undo(routed.body.change)).body.code).toBe('SMART_HOST_FIRST')
    await undo(relayed.body.change)
    expect((await undo(routed.body.change)).status).toBe(200)

    const copy = { ...outgoing, mode: 'copy' }
    expect((await set('outgoing', outgoing, copy)).body.code).toBe('JOURNAL_FIRST')
    for (const journal of ['ingrid@harbour.example', (await read()).addresses.digests])
      expect((await set('outgoing', outgoing, { ...copy, journal })).body.code).toBe('ADDRESS_OF_MAILBOX')
    const copied = await set('outgoing', outgoing, { ...copy, journal: 'journal@harbour.example' })
    const { addresses } = await read()
    const clash = { ...addresses, reports: 'journal@harbour.example' }
    expect((await set('addresses', addresses, clash)).body.code).toBe('ADDRESS_OF_MAILBOX')
    await undo(copied.body.change)
  })

  test.each<[what: string, host: object, told: string]>([
    ['no name', { host: 'mail server' }, '“mail server”'],
    ['no name either', { host: '-mail.example' }, '“-mail.example”'],
    ['no certificate', { certificate: 'abc' }, '“abc”'],
    ['a password in the clear', { tls: 'off' }, '“pendro, without TLS”'],
  ])('a server with %s is not taken', async (_, host, told) => {
    const { routes } = await read()
    const { body } = await set('routes', routes, { smartHosts: [{ ...routeHost, ...host }], stores: [] })
    expect(body).toMatchObject({ code: 'BAD_SETTING', facts: { lines: told } })
  })

  test('two routes for one domain are none', async () => {
    const { routes } = await read()
    const hosts = [routeHost]
    const twice = (a: string[], b: string[]) => ({
      smartHosts: [],
      stores: [
        { ...mailStore, houses: a.length === 0 ? 'rest' : 'domains', domains: a, hosts },
        { ...mailStore, houses: b.length === 0 ? 'rest' : 'domains', domains: b, hosts },
      ],
    })
    expect(
      (await set('routes', routes, twice(['a.example', 'b.example'], ['B.example']))).body.facts.lines,
    ).toBe('“b.example”')
    expect((await set('routes', routes, twice([], []))).body.facts.lines).toBe('“*”')
  })

  test.each<[what: string, more: object, line: string]>([
    ['looked into without TLS', { imap: { ...imapAt, tls: 'off' } }, '“192.0.2.9, without TLS”'],
    ['looked into by nobody', { identity: mailStore.identity }, '“, without an account”'],
    ['for no domain', { domains: [] }, '“, without a domain”'],
    ['by its name, without one', { houses: 'named' }, '“a store without a name”'],
    [
      'tokens in the open',
      { identity: { kind: 'token', user: 'pendro', tokenUrl: 'http://sign.example/token', scope: '' } },
      '“http://sign.example/token”',
    ],
  ])('a mail store %s is none', async (_, more, line) => {
    const { routes } = await read()
    const identity = { ...mailStore.identity, user: 'pendro' }
    const { body } = await set('routes', routes, {
      smartHosts: [],
      stores: [{ ...mailStore, imap: imapAt, identity, ...more }],
    })
    expect([body.code, body.facts.lines]).toEqual(['BAD_SETTING', line])
  })

  test.each([
    ['outgoing', { mode: 'relay', servers: ['0.0.0.0/0'], journal: '' }],
    ['outgoing', { mode: 'copy', servers: [], journal: 'journal@outside.example' }],
    ['outgoing', { mode: 'sometimes', servers: [], journal: '' }],
    ['routes', { smartHosts: [{ ...routeHost, port: 0 }], stores: [] }],
    ['routes', { smartHosts: [{ ...routeHost, tls: 'maybe' }], stores: [] }],
    ['peers', { ...peers, unlisted: { ...limitsOfPeers, recipients: 99 } }],
    ['peers', { ...peers, listed: { ...limitsOfPeers, connections: 0 } }],
    ['name', { name: '', timeZone: 'Europe/Oslo' }],
    ['name', { name: 'X', timeZone: 'Europe/Nowhere' }],
    ['own-domains', []],
    ['forbidden', ['everything']],
    ['digest-times', { times: ['25:00'], weekdays: [1] }],
    ['digest-times', { times: ['07:00'], weekdays: [8] }],
  ])('%s: %j is not understood', async (what, to) => {
    expect((await set(what, (await read())[what as 'stores'], to)).status).toBe(400)
  })
})

describe('what a change is about', () => {
  test('own domains: mailboxes outside, and mail that would have to prove itself', async () => {
    await arrive(server, { from: 'Siv <siv@sister.example>' })
    await arrive(server, { from: 'Siv <siv@sister.example>' })
    const was = (await read())['own-domains']
    expect((await effect('own-domains', was, [...was, 'sister.example'])).facts).toEqual({
      claimed: 2,
      unproven: 2,
    })
    // Pendro's own addresses go first: a domain they are at stays.
    const { addresses } = await read()
    const added = await set('own-domains', was, [...was, 'pier.example'])
    const moved = await set('addresses', addresses, {
      digests: 'kept@pier.example',
      reports: '',
      help: '',
      postmaster: '',
    })
    const { facts } = await effect('own-domains', [...was, 'pier.example'], ['pier.example'])
    expect(facts?.outside).toBeGreaterThan(2)
    await undo(moved.body.change)
    await undo(added.body.change)
  })
  test('gateways: mail by who handed it over', async () => {
    const was = (await read()).gateways
    // All of the tests' mail is handed over from here.
    expect((await effect('gateways', was, { ...was, networks: ['203.0.113.0/24'] })).facts).toEqual({
      unlisted: 2,
    })
    expect(
      (await effect('gateways', was, { ...was, networks: [...was.networks, '203.0.113.0/24'] })).facts,
    ).toEqual({})
  })
  test('shared providers: safe entries that would let in anybody there', async () => {
    await oda.post('/api/senders/changes', {
      add: [{ pattern: 'freemail.example', standing: 'safe', mailboxId: null }],
      reason: 'a partner',
      token: randomUUID(),
    })
    const was = (await read()).providers
    expect((await effect('providers', was, { ...was, shared: ['freemail.example'] })).facts).toEqual({
      safe: 1,
    })
  })
  test('times of digests: who goes by them', async () => {
    const was = (await read())['digest-times']
    expect((await effect('digest-times', was, { ...was, times: ['09:00'] })).facts?.follow).toBeGreaterThan(2)
  })
})

describe('a setting counts at once', () => {
  const withScript = {
    subject: 'A script',
    headers: ['MIME-Version: 1.0', 'Content-Type: multipart/mixed; boundary=b'],
    body: '--b\r\nContent-Type: text/plain\r\n\r\nhi\r\n--b\r\nContent-Type: text/plain; name=run.js\r\nContent-Disposition: attachment; filename=run.js\r\n\r\n// nothing\r\n--b--\r\n',
  }
  test('attachments that seal: from the next message on, and back by undo', async () => {
    const [sealed = 0] = await arrive(server, withScript)
    expect(await stateOf(server.db, sealed)).toBe('sealed')
    const made = await set('forbidden', (await read()).forbidden, ['executable'])
    const [open = 0] = await arrive(server, withScript)
    expect(await stateOf(server.db, open)).not.toBe('sealed')
    await undo(made.body.change)
    const [again = 0] = await arrive(server, withScript)
    expect(await stateOf(server.db, again)).toBe('sealed')
  })
  test('the name and the zone are those of the organisation everywhere', async () => {
    const before = (await read()).name
    const made = await set('name', before, { name: 'Quay Line', timeZone: 'Europe/Warsaw' })
    expect((await per.get('/api/session')).body.organisation).toMatchObject({
      name: 'Quay Line',
      timeZone: 'Europe/Warsaw',
    })
    expect(await readOrganisation(server.db)).toMatchObject({ name: 'Quay Line', timeZone: 'Europe/Warsaw' })
    await undo(made.body.change)
  })
})
