import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { execute, findRow, select } from '../src/db/database.ts'
import { withoutOwnFields } from '../src/outbox/trace.ts'
import {
  organisation,
  proven,
  sample,
  startTestServer,
  throughTheDoor,
  work,
  fakeStore,
  type TestServer,
} from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

const listGateways = (gateways: readonly string[]) =>
  execute(server.db, 'UPDATE organisation SET settings = :settings', {
    settings: JSON.stringify({ ...organisation, policy: { ...organisation.policy, gateways } }),
  })
beforeEach(() => listGateways(['127.0.0.0/8']))

const newest = () =>
  findRow<{ id: number; subject: string; sender_facts: { authentication: { dmarc: { result: string } } } }>(
    server.db,
    "SELECT id, subject, sender_facts FROM messages WHERE direction = 'in' ORDER BY id DESC LIMIT 1",
  )
const deliveriesOf = async (subject: string) =>
  select<{ state: string; address: string }>(
    server.db,
    'SELECT d.state, b.address FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.subject = :subject ORDER BY b.address',
    { subject },
  )
const letter = (subject: string, headers: readonly string[] = []) =>
  sample({ from: 'Anna <anna@x.example>', subject, headers, body: '<p>Hello</p>' }).toString('latin1')

describe('whose word counts is the peer’s network (domain.md §1)', () => {
  test.each<[string, readonly string[], string]>([
    ['a listed gateway', ['127.0.0.0/8'], 'pass'],
    ['another network is listed', ['192.0.2.0/24'], 'none'],
    ['none is listed, as at first', [], 'none'],
  ])('%s', async (name, gateways, want) => {
    await listGateways(gateways)
    const subject = `Trust: ${name}`
    await throughTheDoor(server, {
      from: 'anna@x.example',
      to: ['kari@harbour.example'],
      raw: letter(subject, [proven('x.example')]),
    })
    expect((await newest())?.sender_facts.authentication.dmarc.result).toBe(want)
  })
  test('a forged field straight to the port makes nobody a colleague', async () => {
    await listGateways([])
    const raw = [
      proven('harbour.example'),
      'From: Kari <kari@harbour.example>',
      'To: help@harbour.example',
      'Subject: Where is it?',
      '',
      'I wait for a mail.',
    ].join('\r\n')
    expect(
      await throughTheDoor(server, { from: 'kari@harbour.example', to: ['help@harbour.example'], raw }),
    ).toContain('5.7.1')
    expect(
      await throughTheDoor(server, { from: 'kari@harbour.example', to: ['digest@harbour.example'], raw }),
    ).toContain('5.7.1')
  })
})

describe('colleagues get what they were sent', () => {
  test.each(['help@harbour.example', 'digest@harbour.example'])(
    'also when %s is beside them',
    async service => {
      for (const to of [
        ['kari@harbour.example', service],
        [service, 'kari@harbour.example'],
      ]) {
        const subject = `Beside ${to.join(' ')}`
        expect(await throughTheDoor(server, { from: 'anna@x.example', to, raw: letter(subject) })).toContain(
          '2.0.0',
        )
        expect(await deliveriesOf(subject)).toMatchObject([{ address: 'kari@harbour.example' }])
      }
    },
  )
  test.each(['postmaster', 'Postmaster@harbour.example', 'POSTMASTER@HARBOUR.EXAMPLE'])(
    '%s is always there (RFC 5321 §4.5.1)',
    async to => {
      const subject = `To ${to === to.toUpperCase() ? 'capitals' : to}`
      expect(await throughTheDoor(server, { from: 'a@x.example', to: [to], raw: letter(subject) })).toContain(
        '2.0.0',
      )
      expect(await deliveriesOf(subject)).toHaveLength(1)
    },
  )
  test('not at a domain that is not ours', async () =>
    expect(
      await throughTheDoor(server, {
        from: 'a@x.example',
        to: ['postmaster@other.example'],
        raw: letter('no'),
      }),
    ).toContain('5.1.1'))
  test('a quoted local part is the same mailbox', async () => {
    expect(
      await throughTheDoor(server, {
        from: 'a@x.example',
        to: ['"kari"@harbour.example'],
        raw: letter('Quoted'),
      }),
    ).toContain('2.0.0')
    expect(await deliveriesOf('Quoted')).toMatchObject([{ address: 'kari@harbour.example' }])
  })
})

describe('bounds', () => {
  test('a loop of more than 100 hops is refused (RFC 5321 §6.3); 100 are taken', async () => {
    const hops = (n: number) =>
      Array.from(
        { length: n },
        (_, i) => `Received: from a by b${i}.example; Fri, 20 Nov 2026 08:00:00 +0000`,
      )
    const send = (n: number) =>
      throughTheDoor(server, {
        from: 'a@x.example',
        to: ['kari@harbour.example'],
        raw: letter(`Hops ${n}`, hops(n)),
        maxBytes: 200_000,
      })
    expect(await send(101)).toContain('5.4.6')
    expect(await send(100)).toContain('2.0.0')
  })
  test('somebody who tries addresses leaves a few lines, and is sent away', async () => {
    const count = async () =>
      (await findRow<{ n: number }>(server.db, 'SELECT COUNT(*) AS n FROM refusals'))?.n ?? 0
    const before = await count()
    const to = Array.from({ length: 150 }, (_, i) => `nobody${i}@harbour.example`)
    await throughTheDoor(server, { from: 'a@x.example', to, raw: letter('Guessing') })
    expect((await count()) - before).toBeLessThanOrEqual(40)
    expect((await count()) - before).toBeGreaterThan(0)
  })
})

describe('what goes on', () => {
  test('has a Received field of ours, whom we took it from, and no field that only we may write', async () => {
    await throughTheDoor(server, {
      from: 'a@x.example',
      to: ['kari@harbour.example'],
      name: 'mail.x.example',
      raw: letter('Onward', [
        proven('x.example'),
        'Pendro-Place: inbox',
        'Pendro-Folder: Secret,\r\n folded',
        'pendro-delivery: 1.inbox',
      ]),
    })
    await execute(
      server.db,
      "UPDATE deliveries SET state = 'deferred', bound_for = 'junk' WHERE subject = 'Onward'",
    )
    await execute(
      server.db,
      "INSERT IGNORE INTO outbox (kind, subject_id, place, next_at) SELECT 'delivery', id, 'junk', :now FROM deliveries WHERE subject = 'Onward'",
      { now: server.clock.now },
    )
    const store = fakeStore()
    await work(server, store.send)
    const raw = store.taken.find(one => one.raw.includes('Subject: Onward'))?.raw ?? ''
    const head = raw.slice(0, raw.indexOf('\r\n\r\n'))
    expect(head.match(/^pendro-place:.*$/gim)).toHaveLength(1)
    expect(head).not.toMatch(/Secret|folded/)
    expect(head).toMatch(
      /^Received: from mail\.x\.example \(\[127\.0\.0\.1\]\)\r\n\tby harbour\.example \(Pendro\) with SMTP; /m,
    )
  })
  test.each([
    ['A: 1\r\nPendro-X: a\r\n b\r\n\tc\r\nB: 2\r\n\r\nPendro-Y: body', 'A: 1\r\nB: 2\r\n\r\nPendro-Y: body'],
    ['Pendro-X: a\n\nbody', '\nbody'],
    ['A: 1\nX-Pendro: a\n\n', 'A: 1\nX-Pendro: a\n\n'],
    ['no end of header\r\nPENDRO-A: 1', 'no end of header\r\n'],
  ])('%j', (raw, want) => expect(withoutOwnFields(Buffer.from(raw)).toString()).toBe(want))
})
