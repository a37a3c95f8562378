import { createTransport } from 'nodemailer'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { execute } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { domainsSay } from '../src/doors/domains.ts'
import { openDoors, type Doors } from '../src/doors/doors.ts'
import { overview } from '../src/doors/overview.ts'
import { sendThrough, watch } from '../src/doors/trials.ts'
import { takeOutgoing } from '../src/intake/outbound.ts'
import { workOutbox } from '../src/outbox/outbox.ts'
import { createWays } from '../src/outbox/ways.ts'
import { createResolver } from '../src/reading/resolver.ts'
import { createTraffic, type Traffic } from '../src/traffic/traffic.ts'
import { startDns } from '../../stand-ins/src/dns.ts'
import { otherServer, route, secretsOf, type OtherServer } from './mail-servers.ts'
import { log, sample, setOrganisation, signedIn, startTestServer, type TestServer } from './support.ts'
import { doorSettings } from './door-settings.ts'

let server: TestServer
let store: OtherServer
let traffic: Traffic
let doors: Doors
const now = () => server.clock.now
beforeAll(async () => {
  server = await startTestServer()
  store = await otherServer()
  traffic = createTraffic(server.db, now)
  doors = await openDoors(
    { db: server.db, log, now, maxBytes: 20_000, takenIn: () => {}, traffic },
    {
      ...doorSettings,
      PENDRO_SMTPS_PORT: '0',
    },
  )
})
afterAll(async () => {
  await doors.close()
  await Promise.all([store.close(), server.close()])
})

const look = () =>
  overview(server.db, {
    doors: doors.all(),
    certificate: doors.certificate(),
    store: { host: '127.0.0.1', port: store.port },
    now: now(),
  })

const send = (to: string) => {
  const transport = createTransport({ host: '127.0.0.1', port: doors.smtpPort, ignoreTLS: true })
  return transport
    .sendMail({ envelope: { from: 'a@x.example', to: [to] }, raw: sample() })
    .catch((error: Error) => error.message)
    .finally(() => transport.close())
}

describe('what the page of the doors is told', () => {
  test('who came, what they were told, and what went through today', async () => {
    await setOrganisation(server.db, { 'policy.gateways': ['192.0.2.0/24'] })
    await send('ingrid@harbour.example')
    await send('nobody@harbour.example')
    await traffic.write()
    const { doors: all, visits, certificate } = await look()
    expect(all.map(({ name, wanted, port }) => [name, wanted, port !== null])).toEqual([
      ['incoming', true, true],
      // It is wanted, and shut for want of a certificate.
      ['incoming-tls', true, false],
      ['submission', false, false],
      ['submission-tls', false, false],
    ])
    expect(certificate.state).toBe('off')
    expect(all[0]).toMatchObject({ taken: 1, takenAt: now().toISOString() })
    expect(visits).toHaveLength(2)
    expect(visits.map(({ taken, answer }) => [taken, answer]).sort()).toEqual([
      [0, '5.1.1 No mailbox here has the address nobody@harbour.example'],
      [1, ''],
    ])
    expect(visits[0]).toMatchObject({ door: 'incoming', ip: '127.0.0.1', tls: '', listed: false })
    await setOrganisation(server.db, { 'policy.gateways': ['127.0.0.1'] })
    expect((await look()).visits[0]?.listed).toBe(true)
  })

  test('who is connected, until they go or their process does', async () => {
    const other = createTraffic(server.db, now)
    const visitor = other.come('incoming', '192.0.2.7')
    visitor.know({ helo: 'mx.vorwick.example', tls: 'TLSv1.3' })
    await other.write()
    expect((await look()).doors[0]?.connected).toBe(1)
    expect((await look()).visits.find(({ open }) => open)).toMatchObject({
      ip: '192.0.2.7',
      helo: 'mx.vorwick.example',
      tls: 'TLSv1.3',
    })
    server.clock.now = new Date(now().getTime() + 20_000)
    expect((await look()).doors[0]?.connected).toBe(0)
    await other.write()
    expect((await look()).doors[0]?.connected).toBe(1)
    visitor.gone()
    await other.write()
    expect((await look()).doors[0]?.connected).toBe(0)
  })

  test('counts of processes are added; yesterday’s are not today’s', async () => {
    const [a, b] = [createTraffic(server.db, now), createTraffic(server.db, now)]
    a.count('submission', 'taken')
    b.count('submission', 'taken')
    b.count('submission', 'refused', '550 5.7.1 Unable to relay')
    await Promise.all([a.write(), b.write()])
    const submission = async () => (await look()).doors[2]
    expect(await submission()).toMatchObject({ taken: 2, refused: 1, later: 0, advice: 'not-let-in' })
    server.clock.now = new Date(now().getTime() + 24 * 3_600_000)
    expect(await submission()).toMatchObject({ taken: 0, refused: 0, problem: '550 5.7.1 Unable to relay' })
  })

  test('a database that is away loses no count', async () => {
    const broken = createTraffic({} as TestServer['db'], now)
    broken.count('incoming', 'taken')
    await expect(broken.write()).rejects.toThrow()
    const mended = createTraffic(server.db, now)
    const before = (await look()).doors[0]?.taken ?? 0
    mended.count('incoming', 'taken')
    await mended.write()
    expect((await look()).doors[0]?.taken).toBe(before + 1)
  })

  test('of a flood the newest are kept, a few at a time', async () => {
    await execute(server.db, 'DELETE FROM door_connections')
    const flooded = createTraffic(server.db, now)
    for (let i = 0; i < 500; i += 1) flooded.come('incoming', `192.0.2.${i % 250}`).gone()
    expect(await flooded.write()).toBe(20)
    expect((await look()).visits).toHaveLength(10)
    expect(await flooded.write()).toBe(0)
  })

  test('ways: the smart hosts, stores by domain, and the machine’s store for what no other names', async () => {
    const purposes = async () =>
      (await look()).ways.map(({ host, purpose, domains }) => [host, purpose, domains])
    const rest = [`127.0.0.1:${store.port}`, 'store-of-rest', []]
    expect(await purposes()).toEqual([rest])
    await setOrganisation(server.db, {
      routes: {
        smartHosts: [route(2601)],
        stores: [{ domains: ['quay.example'], hosts: [route(2602, { host: '2001:db8::1' })] }],
      },
    })
    expect(await purposes()).toEqual([
      ['127.0.0.1:2601', 'smart-host', []],
      ['[2001:db8::1]:2602', 'store', ['quay.example']],
      rest,
    ])
    await setOrganisation(server.db, {
      routes: { smartHosts: [], stores: [{ domains: [], hosts: [route(2603)] }] },
    })
    expect(await purposes()).toEqual([['127.0.0.1:2603', 'store-of-rest', []]])
    await setOrganisation(server.db, { routes: { smartHosts: [], stores: [] } })
  })

  test('everybody on the staff may look; nobody else', async () => {
    const una = await signedIn(server, 'una')
    expect((await una.get('/api/doors')).status).toBe(200)
    expect((await una.get('/api/doors/domains')).body).toEqual({ lookedUp: false, domains: [] })
    expect((await una.post('/api/doors/trials', { mailbox: 1, token: crypto.randomUUID() })).status).toBe(403)
  })
})

describe('a message sent through to watch it', () => {
  const entrance = () => ({ host: '127.0.0.1', port: doors.smtpPort })
  const work = () => {
    const send = createWays({
      organisation: () => organisationNow(server.db),
      store: { host: '127.0.0.1', port: store.port },
      secrets: secretsOf(),
      now,
    })
    return workOutbox({ db: server.db, send, log, now, letter: async () => null }).finally(() => send.close())
  }

  test('is taken in, judged and handed on, and each step is told', async () => {
    const token = crypto.randomUUID()
    expect(await watch(server.db, token)).toEqual({ stored: null })
    await setOrganisation(server.db, { watching: true })
    const sent = await sendThrough(server.db, entrance(), { mailbox: server.mailbox('kari'), token }, now)
    expect(sent).toMatchObject({ taken: true, advice: null })
    expect((await watch(server.db, token)).stored).toMatchObject({ state: 'deferred', landedAt: null })
    store.mood.answer = '450 4.2.0 Greylisted'
    await work()
    expect((await watch(server.db, token)).stored).toMatchObject({
      state: 'deferred',
      problem: '450 4.2.0 Greylisted',
      advice: 'come-again',
    })
    store.mood.answer = null
    server.clock.now = new Date(now().getTime() + 60_000)
    await work()
    expect((await watch(server.db, token)).stored).toMatchObject({ state: 'inbox', problem: '' })
    expect(store.took.at(-1)?.raw).toContain(`trial-${token}@harbour.example`)
    await setOrganisation(server.db, { watching: false })
  })
  test('that the door does not take is told in the door’s words, with what to do', async () => {
    await setOrganisation(server.db, {
      peers: { others: 'refused', listed: {}, unlisted: {} },
      'policy.gateways': ['192.0.2.0/24'],
    })
    const sent = await sendThrough(
      server.db,
      entrance(),
      { mailbox: server.mailbox('kari'), token: crypto.randomUUID() },
      now,
    )
    expect(sent).toMatchObject({ taken: false, advice: 'not-let-in' })
    expect(sent.answer).toContain('Mail is taken from the gateways of this organisation only')
  })
  test('with no door there', async () => {
    const sent = await sendThrough(
      server.db,
      { host: '127.0.0.1', port: 1 },
      { mailbox: server.mailbox('kari'), token: crypto.randomUUID() },
      now,
    )
    expect(sent).toMatchObject({ taken: false, advice: 'nobody-listens' })
  })
})

test('what DNS says of the own domains, asked of a name server; keys by the signatures of mail that went out', async () => {
  const signed = `DKIM-Signature: v=1; a=rsa-sha256; d=harbour.example; s=quay26;\r\n\tbh=x; h=from; b=y`
  await takeOutgoing(server.db, [
    {
      raw: sample({ from: 'Ingrid <ingrid@harbour.example>', headers: [signed] }),
      envelopeFrom: 'ingrid@harbour.example',
      recipients: ['lars@shipyard.example'],
      receivedAt: now(),
    },
  ])
  const dns = await startDns(
    new Map([
      [
        'harbour.example',
        { TXT: ['v=spf1 ip4:192.0.2.0/24 -all'], MX: ['mx1.harbour.example', 'mx2.harbour.example'] },
      ],
      ['_dmarc.harbour.example', { TXT: ['v=DMARC1; p=quarantine'] }],
      ['quay26._domainkey.harbour.example', { TXT: [`v=DKIM1; p=${'A'.repeat(300)}`] }],
    ]),
    { failing: new Set(['quay.example']) },
  )
  await setOrganisation(server.db, { 'policy.ownDomains': ['harbour.example', 'quay.example'] })
  const resolve = createResolver(`127.0.0.1:${dns.port}`, () => new Date())
  if (!resolve) throw new Error('looked up nothing')
  const [harbour, quay] = await domainsSay(server.db, resolve)
  expect(harbour).toMatchObject({
    domain: 'harbour.example',
    mx: { state: 'found', hosts: ['mx1.harbour.example', 'mx2.harbour.example'] },
    spf: { state: 'strict' },
    dmarc: { state: 'quarantine' },
    keys: [{ selector: 'quay26', state: 'found' }],
  })
  expect(quay).toMatchObject({
    mx: { state: 'unknown' },
    spf: { state: 'unknown' },
    dmarc: { state: 'none' },
    keys: [],
  })
  await dns.stop()
})
