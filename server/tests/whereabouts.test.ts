import { randomUUID } from 'node:crypto'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { WhereAnswer } from '@pendro/contract'
import { fold } from '@pendro/core/whereabouts'
import { execute, select } from '../src/db/database.ts'
import { indexOldSenders } from '../src/intake/index-messages.ts'
import {
  arrive,
  fakeStore,
  proven,
  ruling,
  signedIn,
  startTestServer,
  throughTheDoor,
  work,
  type TestServer,
} from './support.ts'
import { takeOutgoing } from '../src/intake/outbound.ts'
import { signingKey } from '../src/db/signing-keys.ts'
import { deliveryMark } from '../src/outbox/trace.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
let una: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  una = await signedIn(server, 'una')
  // The clock of these tests runs for days.
  await execute(server.db, "UPDATE sessions SET expires_at = '2040-01-01'")
})
afterAll(() => server.close())

const look = async (question: object) => {
  const { body, status } = await per.post('/api/whereabouts', question)
  expect([status, body.code]).toEqual([200, undefined])
  return body as WhereAnswer
}
const kinds = (answer: WhereAnswer, i = 0) => answer.hits[i]?.journey.map(({ kind }) => kind)
const tick = (minutes: number) => {
  server.clock.now = new Date(server.clock.now.getTime() + minutes * 60_000)
}
const school = 'Fjellby Skole <kontor@fjellby-skole.example>'

describe('every place is looked at', () => {
  test('held back, with the digest to come; released; discarded; each step with who did it', async () => {
    const [id = 0] = await arrive(server, {
      from: school,
      subject: '64 elever på 09:10-avgangen',
      headers: [proven('fjellby-skole.example')],
    })
    tick(5)
    const held = await look({ from: 'fjelby skole', to: 'ingrid', about: '09:10 avgangen', when: 'today' })
    expect(held.hits[0]).toMatchObject({ kind: 'delivery', id, state: 'quarantined' })
    expect(kinds(held)).toEqual(['came-in', 'checked', 'quarantined', 'digest-would-list', 'goes-away'])
    await per.post('/api/rulings', ruling([id], { message: 'discard' }))
    tick(5)
    expect(kinds(await look({ from: 'fjellby-skole.example' }))).toContain('ruled-discard')
    await per.post('/api/rulings', ruling([id], { message: 'restore' }))
    tick(5)
    await per.post('/api/rulings', ruling([id], { message: 'release' }))
    const waiting = await look({ from: 'fjellby-skole.example' })
    expect(waiting.hits[0]?.state).toBe('deferred')
    expect(kinds(waiting)?.slice(-2)).toEqual(['deferred', 'next-try'])
    tick(1)
    await work(server, fakeStore().send)
    const released = await look({ from: 'fjellby-skole.example' })
    expect(kinds(released)).toEqual([
      'came-in',
      'checked',
      'quarantined',
      'ruled-discard',
      'ruled-restore',
      'ruled-release',
      'landed',
    ])
    expect(released.hits[0]?.journey.at(-2)?.by).toBe('Per Dal')
  })

  test('refused by the mail store, with its words explained (RFC 3463), and sent again', async () => {
    const [id = 0] = await arrive(server, {
      from: 'Slip <desk@slipway.example>',
      subject: 'Dock fee',
      headers: [proven('slipway.example')],
    })
    await per.post('/api/rulings', ruling([id], { message: 'release' }))
    const store = fakeStore()
    store.mood.answer = { status: 'later', problem: '452 4.2.2 Mailbox full' }
    tick(1)
    await work(server, store.send)
    const waits = await look({ from: 'slipway' })
    expect(waits.hits[0]?.journey.find(({ stage }) => stage === 'here')).toMatchObject({
      kind: 'deferred',
      facts: { attempts: 1, problem: '452 4.2.2 Mailbox full', meaning: '2.2' },
    })
    expect((await per.post(`/api/deliveries/${id}/try-again`, {})).status).toBe(200)
    store.mood.answer = { status: 'refused', problem: '550 5.1.1 No such mailbox' }
    await work(server, store.send)
    const bounced = await look({ from: 'slipway' })
    expect(bounced.hits[0]?.state).toBe('bounced')
    expect(bounced.hits[0]?.journey.find(({ kind }) => kind === 'bounced')?.facts.meaning).toBe('1.1')
    const again = await per.post(`/api/deliveries/${id}/try-again`, {})
    expect([again.status, again.body.code]).toEqual([409, 'WRONG_STATE'])
  })

  test('what reaches nobody today is shown before anybody asks, and all that waits is tried at once', async () => {
    const ids: number[] = []
    for (const subject of ['First berth', 'Second berth'])
      ids.push(
        ...(await arrive(server, {
          from: 'Berth <desk@berths.example>',
          subject,
          headers: [proven('berths.example')],
        })),
      )
    await per.post('/api/rulings', ruling(ids, { message: 'release' }))
    const away = fakeStore()
    away.mood.answer = { status: 'later', problem: '451 4.3.0 Come back later' }
    tick(1)
    await work(server, away.send)
    const trouble = async () => (await una.get('/api/whereabouts/trouble')).body
    expect(await trouble()).toMatchObject({
      waiting: 2,
      stuck: ids.map(id => ({ id, from: 'desk@berths.example', to: 'Ingrid', attempts: 1 })),
      bounced: { count: 1, rows: [{ subject: 'Dock fee', problem: '550 5.1.1 No such mailbox' }] },
    })
    expect((await una.post('/api/deliveries/try-again', {})).status).toBe(403)
    expect((await per.post('/api/deliveries/try-again', {})).body).toEqual({ tried: 2 })
    expect((await per.post('/api/deliveries/try-again', {})).body).toEqual({ tried: 0 })
    await work(server, fakeStore().send)
    expect(await trouble()).toMatchObject({ waiting: 0, stuck: [] })
    const { body: record } = await per.get('/api/record?what=everything&who=everybody')
    expect(record.lines.filter(({ act }: { act: string }) => act === 'all-tried-again')).toHaveLength(1)
    // Yesterday's refusals are nothing to worry about today.
    tick(26 * 60)
    expect((await trouble()).bounced.count).toBe(0)
    tick(-26 * 60)
  })

  test('outgoing mail shows to whom it went', async () => {
    const to = Array.from({ length: 60 }, (_, i) => `guest${i}@far-shore-${i}.example`)
    await takeOutgoing(server.db, [
      {
        raw: Buffer.from('From: ingrid@harbour.example\r\nSubject: Summer times\r\n\r\nSee below.'),
        envelopeFrom: 'ingrid@harbour.example',
        recipients: to,
        receivedAt: server.clock.now,
      },
    ])
    const [hit] = (await look({ from: 'ingrid@harbour.example', about: 'summer times' })).hits
    expect(hit?.kind).toBe('outbound')
    expect(hit?.to.startsWith('guest0@far-shore-0.example, guest1@far-shore-1.example, ')).toBe(true)
    expect(hit?.to).toMatch(/, \+\d+$/)
    const { body } = await per.get('/api/whereabouts/list?direction=out&to=guest3@')
    expect(body.rows.map(({ subject }: { subject: string }) => subject)).toEqual(['Summer times'])
    expect((await per.get('/api/whereabouts/list?direction=out&to=stranger')).body.rows).toEqual([])
  })

  test('refused at the door: kept with code and reason, by real SMTP', async () => {
    const send = (to: string, text: string) =>
      throughTheDoor(server, {
        from: 'elin@quay-dental.example',
        to: [to],
        raw: `From: elin@quay-dental.example\r\nSubject: Time\r\n\r\n${text}`,
        name: 'mx2.quay-dental.example',
      })
    expect(await send('ingrit@harbour.example', 'Hei')).toContain('5.1.1')
    expect(await send('ingrid@harbour.example', 'x'.repeat(30_000))).toContain('5.3.4')
    const { hits, nothing, understood } = await look({
      from: 'quay-dental.example',
      to: 'ingrit@harbour.example',
    })
    expect(nothing).toBeNull()
    expect(understood).toMatchObject({ unknownAddress: 'ingrit@harbour.example', to: [{ name: 'Ingrid' }] })
    expect(hits[0]).toMatchObject({ kind: 'refused', to: 'ingrit@harbour.example' })
    expect(hits[0]?.journey[1]).toMatchObject({ kind: 'refused', facts: { code: 550, meaning: '1.1' } })
    expect(hits[0]?.journey[0]?.facts.host).toBe('mx2.quay-dental.example')
    expect(hits.some(({ journey }) => journey[1]?.facts.code === 552)).toBe(true)
  })

  test('a notification of the mail store (RFC 3464) bounces what it had taken; nobody else’s does', async () => {
    const [id = 0] = await arrive(server, {
      from: 'Late <a@late-bounce.example>',
      subject: 'Late',
      headers: [proven('late-bounce.example')],
    })
    await per.post('/api/rulings', ruling([id], { message: 'release' }))
    tick(1)
    await work(server, fakeStore().send)
    const mark = deliveryMark(await signingKey(server.db, 'deliveries'), id, 'released')
    const notify = async (
      storeAddress: string,
      { fields = [`Pendro-Delivery: ${mark}`], recipient = 'ingrid@harbour.example' } = {},
    ) => {
      const raw = [
        'From: store@harbour.example',
        'To: digest@harbour.example',
        'Subject: Returned mail',
        'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
        '',
        '--b',
        '',
        'Returned.',
        '--b',
        'Content-Type: message/delivery-status',
        '',
        'Reporting-MTA: dns; store.harbour.example',
        '',
        `Final-Recipient: rfc822; ${recipient}`,
        'Action: failed',
        'Status: 5.2.2',
        'Diagnostic-Code: smtp; 552 Mailbox full',
        '--b',
        'Content-Type: text/rfc822-headers',
        '',
        ...fields,
        '--b--',
      ].join('\r\n')
      return throughTheDoor(server, { to: ['digest@harbour.example'], raw, storeAddress })
    }
    await notify('192.0.2.99')
    // what the store did not write, of another recipient's copy, and a second field of the name
    for (const forged of [
      { fields: [`Pendro-Delivery: ${id}.released`] },
      { fields: [`Pendro-Delivery: ${id}.released.${'0'.repeat(24)}`] },
      { recipient: 'kari@harbour.example' },
      { fields: ['Pendro-Delivery: x', `Pendro-Delivery: ${mark}`] },
    ])
      await notify('127.0.0.1', forged)
    expect((await look({ from: 'late-bounce.example' })).hits[0]?.state).toBe('released')
    expect(await notify('127.0.0.1')).toContain('2.0.0 Noted')
    const { hits } = await look({ from: 'late-bounce.example' })
    expect(hits[0]?.state).toBe('bounced')
    expect(hits[0]?.journey.at(-1)).toMatchObject({
      kind: 'bounced',
      facts: { problem: '552 Mailbox full 5.2.2', meaning: '2.2' },
    })
  })

  test('sealed, expired and in the lab', async () => {
    for (const [state, kind] of [
      ['sealed', 'sealed'],
      ['expired', 'expired'],
      ['inspecting', 'inspecting'],
    ] as const) {
      const [id = 0] = await arrive(server, {
        from: `Lab <x@${state}-place.example>`,
        subject: `In ${state}`,
      })
      await execute(server.db, 'UPDATE deliveries SET state = :state WHERE id = :id', { state, id })
      const { hits } = await look({ from: `${state}-place.example` })
      expect(hits[0]?.journey.find(({ stage }) => stage === 'here')?.kind).toBe(kind)
    }
  })
})

describe('near misses, and an honest nothing', () => {
  test('the sender’s other domain, another colleague, an alias', async () => {
    await arrive(server, {
      from: 'Nora Quist <nora@northquay.example>',
      subject: 'Berth plan',
      to: ['i.solvang@harbour.example'],
    })
    expect((await look({ from: 'nora@nortquay.example' })).hits[0]).toMatchObject({ label: 'slip' })
    expect((await look({ from: 'Nora Quist', to: 'aksel' })).hits[0]).toMatchObject({
      label: 'other-colleague',
      to: 'Ingrid',
    })
    expect((await look({ from: 'northquay.example', to: 'i.solvang@harbour.example' })).hits[0]?.label).toBe(
      'all-of-it',
    )
  })

  test('nothing came: said with the domain and since when, and never while something is there', async () => {
    const never = await look({ from: 'info@never-wrote.example', to: 'ingrid' })
    expect(never.hits).toEqual([])
    expect(never.nothing).toMatchObject({ domain: 'never-wrote.example', lastAt: null })
    await arrive(server, { from: 'A <a@mail.once-wrote.example>', subject: 'Once' })
    const other = await look({ from: 'once-wrote.example', about: 'invoices zzz' })
    expect(other.nothing).toBeNull()
  })
})

test('senders from before are found when their groups of letters have been made', async () => {
  await arrive(server, { from: 'Oldrik Bremanger <old@bremanger-hus.example>', subject: 'From before' })
  await execute(server.db, "DELETE FROM known_senders WHERE address = 'old@bremanger-hus.example'")
  await execute(
    server.db,
    "INSERT INTO known_senders (address, name, words, indexed) VALUES ('old@bremanger-hus.example', 'Oldrik Bremanger', '', FALSE)",
  )
  await execute(
    server.db,
    'DELETE FROM sender_trigrams WHERE sender_id NOT IN (SELECT id FROM known_senders)',
  )
  expect((await look({ from: 'oldrik bremnager' })).hits).toEqual([])
  while ((await indexOldSenders(server.db)) > 0);
  expect((await look({ from: 'oldrik bremnager' })).hits[0]?.subject).toBe('From before')
})

describe('found by what is not in sight', () => {
  test('the name of an attachment, in parts, also of a PDF with an underscore in its name', async () => {
    const [id = 0] = await arrive(server, {
      from: 'Capstan <office@capstan.example>',
      subject: 'As agreed',
      headers: [proven('capstan.example'), 'Content-Type: multipart/mixed; boundary=b'],
      body: [
        '--b',
        'Content-Type: text/plain',
        '',
        'See the paper.',
        '--b',
        'Content-Type: application/pdf; name="Seaworthiness_Wikmar-2026.pdf"',
        'Content-Disposition: attachment; filename="Seaworthiness_Wikmar-2026.pdf"',
        '',
        '%PDF-1.4',
        '--b--',
      ].join('\r\n'),
    })
    for (const about of ['seaworthiness', 'wikmar 2026', 'Seaworthiness_Wikmar-2026.pdf'])
      expect([about, (await look({ from: 'capstan', about })).hits[0]?.id]).toEqual([about, id])
    expect((await look({ about: 'seaworthiness wikmar' })).hits[0]?.id).toBe(id)
  })

  // RFC 5321 §2.3.1: what a bounce and a server's log name is the return address.
  test.each([
    ['the address itself', 'returns@mailer-house.example', true],
    ['with the tag it came with', 'returns+ingrid=harbour.example@mailer-house.example', true],
    ['its domain', 'mailer-house.example', true],
    ['somebody else there', 'sales@mailer-house.example', true],
    ['another domain', 'returns@mailer-hut.example', false],
  ])('the return address: %s', async (_name, from, want) => {
    const [id = 0] = await arrive(server, {
      from: 'Tide Tables <news@tide-tables.example>',
      envelopeFrom: 'returns+ingrid=harbour.example@mailer-house.example',
      subject: 'High water',
    })
    const { hits } = await look({ from })
    expect(hits.some(hit => hit.id === id)).toBe(want)
  })
})

test('a message to everybody: the delivery of whoever asks is found among thousands', async () => {
  const [id = 0] = await arrive(server, {
    from: 'Regatta <office@regatta-club.example>',
    to: ['kari@harbour.example'],
    subject: 'Regatta programme',
    headers: [proven('regatta-club.example')],
  })
  // The mailbox with the highest number is read last of all that have the message.
  await execute(
    server.db,
    "INSERT INTO mailboxes (id, address, name, kind, time_zone, language) VALUES (101501, 'zora@harbour.example', 'Zora', 'person', 'UTC', 'en')",
  )
  await execute(server.db, "INSERT INTO mailbox_addresses VALUES ('zora@harbour.example', 101501)")
  await execute(
    server.db,
    `INSERT INTO deliveries (message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, score, left_out,
       from_name, from_address, subject, reasons, attachments, cluster_key)
     SELECT message_id, 100000 + seq, 'x', received_at, received_day, expires_at, state, score, left_out, from_name, from_address, subject, reasons, 0, cluster_key
     FROM deliveries, seq_1_to_1501 WHERE id = :id`,
    { id },
  )
  for (const question of [{ about: 'regatta programme' }, { from: 'regatta-club.example' }]) {
    const { hits } = await look({ ...question, to: 'Zora' })
    expect([question, hits[0]?.to]).toEqual([question, 'Zora'])
  }
  await execute(server.db, 'DELETE FROM deliveries WHERE mailbox_id > 100000')
  await execute(server.db, 'DELETE FROM mailbox_addresses WHERE mailbox_id > 100000')
  await execute(server.db, 'DELETE FROM mailboxes WHERE id > 100000')
})

describe('what people type', () => {
  test.each([
    [{ when: 'blue' }, 'not-understood'],
    [{ from: 'x', when: '31.2.' }, 'no-such-day'],
    [{ from: 'x', when: '2030-01-01' }, 'in-the-future'],
    [{}, 'more-needed'],
    [{ when: 'yesterday' }, 'more-needed'],
    [{ from: '***', about: 'the of and' }, 'only-idle-words'],
  ])('%j is answered in words', async (question, problem) => {
    expect(await look(question)).toMatchObject({ problem, hits: [] })
  })

  test.each([
    ['10 kB', 'x'.repeat(10_000)],
    ['full-text operators', '+("*~<>@ -drop* "unclosed'],
    ['SQL', "'; DROP TABLE messages; -- \\' OR 1=1"],
    ['right to left', 'שלום مرحبا \u202e abc'],
    ['emoji', '🚢🚢 ⚓️'],
    ['wildcards', '%_%*?*'],
    ['nothing but dots', '....@@..'],
    ['null', 'a\u0000b'],
  ])('%s as text in every blank', async (_, text) => {
    for (const name of ['from', 'to', 'about', 'when']) await look({ [name]: text })
    await look({ from: text, to: text, about: text })
  })

  test('anything at all is answered', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.string({ unit: 'binary', maxLength: 40 }),
        fc.string({ maxLength: 40 }),
        async (a, b) => {
          await look({ from: a, about: b })
        },
      ),
      { numRuns: 25 },
    )
    expect((await select(server.db, 'SELECT 1 AS one FROM messages LIMIT 1')).length).toBe(1)
  })

  test('too long is refused in words', async () => {
    const answer = await per.post('/api/whereabouts', { from: 'x'.repeat(10_001) })
    expect([answer.status, answer.body.code]).toEqual([400, 'BAD_REQUEST'])
  })
})

test('full text finds what a plain scan finds', async () => {
  const words = ['lantern', 'gangway', 'ballast', 'mooring', 'capstan', 'hawser']
  for (let i = 0; i < 18; i += 1)
    await arrive(server, {
      from: `Scan <s${i}@scan.example>`,
      subject: `${words[i % 6]} ${words[(i * 5 + 1) % 6]} ${i}`,
      headers: [proven('scan.example')],
    })
  const rows = await select<{ id: number; words: string }>(
    server.db,
    'SELECT message_id AS id, words FROM message_words',
  )
  for (const word of words) {
    const plain = rows
      .filter(row =>
        fold(row.words)
          .split(/[^a-z0-9]+/)
          .some(one => one.startsWith(word)),
      )
      .map(({ id }) => id)
    const found = await select<{ id: number }>(
      server.db,
      'SELECT message_id AS id FROM message_words WHERE MATCH (words) AGAINST (:query IN BOOLEAN MODE)',
      { query: `+${word}*` },
    )
    expect(new Set(found.map(({ id }) => id))).toEqual(new Set(plain))
    expect((await look({ about: word })).hits.length).toBeGreaterThan(0)
  }
})

test('the account tells the way, and what to say in four languages', async () => {
  const [id = 0] = await arrive(server, {
    from: school,
    subject: 'Faktura',
    headers: [proven('fjellby-skole.example')],
  })
  const { body } = await per.get(`/api/whereabouts/${id}/account`)
  expect(body.hit.journey.length).toBeGreaterThan(3)
  expect(Object.keys(body.explanations).sort()).toEqual(['de', 'en', 'nb', 'pl'])
  expect(body.explanations.en).toMatch(/The message “Faktura” from Fjellby Skole came in .* being kept back/)
  expect(body.explanations.de).toContain('zurückgehalten')
  expect(JSON.stringify(body.explanations)).not.toMatch(/\{\{|account\./)
})

test('anything is found by typing', async () => {
  await arrive(server, { from: 'Ferro Winch <hei@ferro-winch.example>', subject: 'Windlass brochure' })
  await per.post('/api/senders/changes', {
    add: [{ pattern: 'ferro-winch.example', standing: 'blocked', mailboxId: server.mailbox('aksel') }],
    reason: '',
    token: randomUUID(),
  })
  const find = async (text: string) =>
    (await per.get(`/api/find?text=${encodeURIComponent(text)}`)).body.found.map(
      ({ kind }: { kind: string }) => kind,
    )
  expect(await find('ferro winch')).toContain('sender')
  expect(await find('ferro-winch')).toContain('entry')
  expect(await find('windlass')).toContain('message')
  expect(await find('ingr')).toContain('colleague')
  expect(await find('%')).toEqual([])
})
