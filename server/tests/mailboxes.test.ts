import { randomUUID } from 'node:crypto'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { AwayPeriod, MailboxChange, MailboxSheet } from '@pendro/contract'
import { nextDigest } from '@pendro/core/digest'
import { isAway } from '@pendro/core/keeping'
import { execute, findRow, select } from '../src/db/database.ts'
import { workDigests } from '../src/digests/sending.ts'
import { defaultsEffect } from '../src/mailboxes/defaults.ts'
import { workEnds } from '../src/keeping/ends-anew.ts'
import {
  arrive,
  asColleague,
  fakeStore,
  organisation,
  proven,
  ruling,
  signedIn,
  startTestServer,
  throughTheDoor,
  work,
  type TestServer,
} from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: Awaited<ReturnType<typeof signedIn>>
let una: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  per = await signedIn(server, 'per')
  una = await signedIn(server, 'una')
  // The clock goes on by months here.
  await execute(server.db, "UPDATE sessions SET expires_at = '2099-01-01'")
  // Mail that is dated months before it comes looks so bad that digests would only count it.
  await execute(server.db, 'UPDATE mailboxes SET digest_lists_near_certain = TRUE')
})
afterAll(() => server.close())

const path = (name: string, rest = '') => `/api/mailboxes/${server.mailbox(name)}${rest}`
const change = (name: string, one: MailboxChange, more: object = {}) =>
  per.post(path(name, '/changes'), { change: one, token: randomUUID(), ...more })
const sheet = async (name: string) => (await oda.get(path(name)).expect(200)).body
const away = (from: string, back: string, more: object = {}) => ({
  from,
  back,
  note: '',
  digestsTo: null,
  ...more,
})
const plain = ({ from, back, note, digestsTo }: AwayPeriod) => ({ from, back, note, digestsTo })
const endOf = async (id: number) =>
  (
    await findRow<{ at: Date }>(server.db, 'SELECT expires_at AS at FROM deliveries WHERE id = :id', { id })
  )?.at
    .toISOString()
    .slice(0, 10)

describe('one change', () => {
  test('is one act: what it was and is, a line in the record, and an undo from there', async () => {
    const limits = { junk: 55, quarantined: 70, nearCertain: 90 }
    const { body } = await change(
      'ingrid',
      { what: 'limits', was: null, to: limits },
      { reason: 'asked for it' },
    ).expect(200)
    expect((await sheet('ingrid')).limits).toEqual(limits)
    const { body: record } = await oda.get('/api/record?what=mailboxes&who=everybody').expect(200)
    expect(record.lines[0]).toMatchObject({
      act: 'mailbox-limits',
      by: 'Per Dal',
      mailboxName: 'Ingrid',
      reason: 'asked for it',
      changeId: body.change,
      undone: false,
      facts: { was: 'organisation', now: '55 70 90' },
    })
    await per.post(`/api/mailbox-changes/${body.change}/undo`, {}).expect(200)
    expect((await sheet('ingrid')).limits).toBeNull()
    const after = (await oda.get('/api/record?what=mailboxes&who=everybody').expect(200)).body.lines
    expect(after[0]).toMatchObject({ act: 'mailbox-undone', changeId: null, facts: { what: 'limits' } })
    expect(after[1]).toMatchObject({ changeId: body.change, undone: true })
    const again = await per.post(`/api/mailbox-changes/${body.change}/undo`, {}).expect(409)
    expect(again.body.code).toBe('ALREADY_UNDONE')
  })

  test('pressed twice is made once', async () => {
    const token = randomUUID()
    const one: MailboxChange = { what: 'set-aside', was: false, to: true }
    const first = await change('kari', one, { token }).expect(200)
    const second = await change('kari', one, { token }).expect(200)
    expect(second.body).toEqual(first.body)
    const both = await Promise.all([
      change('kari', { what: 'set-aside', was: true, to: false }),
      change('kari', { what: 'set-aside', was: true, to: false }),
    ])
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409])
  })

  test('of two staffers the later one is told, and nothing is done; what was built on stands in the way of an undo', async () => {
    const days = { quarantined: 14, junk: 14, discarded: 14 }
    const { body } = await change('kari', { what: 'keeping', was: null, to: days }).expect(200)
    const late = await change('kari', { what: 'keeping', was: null, to: { ...days, junk: 30 } }).expect(409)
    expect(late.body.code).toBe('MAILBOX_CHANGED')
    expect((await sheet('kari')).keeping).toEqual(days)
    const next = await change('kari', { what: 'keeping', was: days, to: { ...days, junk: 30 } }).expect(200)
    await per.post(`/api/mailbox-changes/${body.change}/undo`, {}).expect(409)
    await per.post(`/api/mailbox-changes/${next.body.change}/undo`, {}).expect(200)
    await per.post(`/api/mailbox-changes/${body.change}/undo`, {}).expect(200)
    expect((await sheet('kari')).keeping).toBeNull()
  })

  test.each<[what: string, one: MailboxChange, code: string]>([
    [
      'limits that fall',
      { what: 'limits', was: null, to: { junk: 50, quarantined: 40, nearCertain: 80 } },
      'BAD_LIMITS',
    ],
    [
      'a limit of nothing',
      { what: 'limits', was: null, to: { junk: 0, quarantined: 40, nearCertain: 80 } },
      'BAD_LIMITS',
    ],
    [
      'six days',
      { what: 'keeping', was: null, to: { quarantined: 6, junk: 28, discarded: 28 } },
      'BAD_REQUEST',
    ],
    [
      'a year and a day',
      { what: 'keeping', was: null, to: { quarantined: 366, junk: 28, discarded: 28 } },
      'BAD_REQUEST',
    ],
    [
      'half a day',
      { what: 'keeping', was: null, to: { quarantined: 28.5, junk: 28, discarded: 28 } },
      'BAD_REQUEST',
    ],
    ['what it is already', { what: 'filtering', was: true, to: true }, 'NOTHING_TO_DO'],
    ['back before they go', { what: 'away', was: [], to: [away('2026-12-20', '2026-12-19')] }, 'BAD_AWAY'],
    [
      'back on the day they go',
      { what: 'away', was: [], to: [away('2026-12-20', '2026-12-20')] },
      'BAD_AWAY',
    ],
    ['ten years', { what: 'away', was: [], to: [away('2026-12-20', '2036-12-20')] }, 'BAD_AWAY'],
    ['a day there is not', { what: 'away', was: [], to: [away('2026-02-30', '2026-12-20')] }, 'BAD_REQUEST'],
    [
      'digests to nobody',
      { what: 'away', was: [], to: [away('2026-12-20', '2026-12-27', { digestsTo: 999 })] },
      'BAD_AWAY',
    ],
    [
      'digests to itself',
      { what: 'away', was: [], to: [away('2026-12-20', '2026-12-27', { digestsTo: 3 })] },
      'BAD_AWAY',
    ],
  ])('%s is refused in words, and nothing is half done', async (_, one, code) => {
    const before = await sheet('kari')
    const { body } = await change('kari', one).expect(res => expect(res.status).toBeGreaterThanOrEqual(400))
    expect(body.code).toBe(code)
    expect(body.text).not.toMatch(/\{\{/)
    expect(await sheet('kari')).toEqual(before)
  })

  test('an observer looks and changes nothing; a mailbox or change that does not exist is said', async () => {
    const one = { change: { what: 'filtering', was: true, to: false }, token: randomUUID() }
    await una.post(path('kari', '/changes'), one).expect(403)
    await una.post(path('kari', '/effect'), { change: one.change }).expect(200)
    await per.post('/api/mailboxes/99999/changes', one).expect(404)
    await per.get('/api/mailboxes/99999').expect(404)
    await per.post('/api/mailbox-changes/99999/undo', {}).expect(404)
  })
})

describe('what it comes to', () => {
  test('limits: the month decided again by the same judge, with the mail itself', async () => {
    const [id = 0] = await arrive(server, { to: ['ingrid@harbour.example'], subject: 'To be let through' })
    const score =
      (await findRow<{ score: number }>(server.db, 'SELECT score FROM deliveries WHERE id = :id', { id }))
        ?.score ?? 0
    expect(score).toBeGreaterThan(40)
    const to = { junk: 100, quarantined: 100, nearCertain: 100 }
    const { body } = await una
      .post(path('ingrid', '/effect'), { change: { what: 'limits', was: null, to } })
      .expect(200)
    expect(body.ends).toBeNull()
    const { keptBack, letThrough, examples, looked } = body.replay
    expect(looked).toBeGreaterThan(0)
    expect(keptBack).toEqual({ wanted: 0, doubtful: 0, harmful: 0 })
    expect(letThrough.doubtful + letThrough.harmful).toBeGreaterThan(0)
    expect(examples).toContainEqual(
      expect.objectContaining({ deliveryId: id, subject: 'To be let through', would: 'come-through' }),
    )
    // Nothing has been changed by asking.
    expect((await sheet('ingrid')).limits).toBeNull()
  })

  test('what is off the lists’ and harm’s business stays so when filtering goes off', async () => {
    const { body } = await una
      .post(path('ingrid', '/effect'), { change: { what: 'filtering', was: true, to: false } })
      .expect(200)
    const { letThrough, keptBack } = body.replay
    expect(keptBack).toEqual({ wanted: 0, doubtful: 0, harmful: 0 })
    expect(letThrough.doubtful + letThrough.harmful).toBeGreaterThan(0)
  })

  test('days: what would go, and when; then it is so', async () => {
    server.clock.now = new Date('2026-11-20T09:00:00Z')
    const [id = 0] = await arrive(server, { to: ['aksel@harbour.example'] })
    const days = { quarantined: 7, junk: 28, discarded: 28 }
    server.clock.now = new Date('2026-11-28T09:00:00Z')
    const one: MailboxChange = { what: 'keeping', was: null, to: days }
    const { body } = await per.post(path('aksel', '/effect'), { change: one }).expect(200)
    expect(body.ends).toMatchObject({ sooner: 1, later: 0, atOnce: 1, first: '2026-11-28T09:00:00.000Z' })
    expect(await endOf(id)).toBe('2026-12-18')
    const made = await change('aksel', one).expect(200)
    expect(await endOf(id)).toBe('2026-11-27')
    await per.post(`/api/mailbox-changes/${made.body.change}/undo`, {}).expect(200)
    expect(await endOf(id)).toBe('2026-12-18')
  })

  test('time away, entered late and twice: what would have gone is held at once', async () => {
    server.clock.now = new Date('2026-11-20T09:00:00Z')
    const [id = 0] = await arrive(server, { to: ['kari@harbour.example'] })
    // Two days after it should have gone, and nobody has looked yet.
    server.clock.now = new Date('2026-12-20T09:00:00Z')
    const to = [away('2026-12-16', '2027-01-11'), away('2026-12-30', '2027-01-04')]
    const one: MailboxChange = { what: 'away', was: [], to }
    const { body } = await per.post(path('kari', '/effect'), { change: one }).expect(200)
    expect(body.ends).toMatchObject({ later: expect.any(Number), sooner: 0 })
    const made = await change('kari', one).expect(200)
    // The beginning of 11 January in Oslo is the 10th in UTC.
    expect(await endOf(id)).toBe('2027-02-07')
    expect(
      (await sheet('kari')).away.map(({ from, back }: { from: string; back: string }) => [from, back]),
    ).toEqual([
      ['2026-12-16', '2027-01-11'],
      ['2026-12-30', '2027-01-04'],
    ])
    await per.post(`/api/mailbox-changes/${made.body.change}/undo`, {}).expect(200)
    expect(await endOf(id)).toBe('2026-12-18')
  })
})

describe('digests while somebody is away', () => {
  const zones = fc.constantFrom('UTC', 'Europe/Oslo', 'America/New_York', 'Pacific/Kiritimati')
  const day = 86_400_000
  const start = Date.parse('2026-10-01T00:00:00Z')
  const waits = fc.array(
    fc
      .record({ from: fc.integer({ min: 0, max: 80 }), length: fc.integer({ min: 1, max: 40 }) })
      .map(({ from, length }) => ({ from: start + from * day, until: start + (from + length) * day })),
    { maxLength: 4 },
  )
  test('none is due while they wait, and the next is the first after: a property', () => {
    fc.assert(
      fc.property(zones, waits, fc.integer({ min: 0, max: 60 }), (timeZone, away, after) => {
        const schedule = { times: ['07:00', '15:30'], weekdays: [1, 2, 3, 4, 5], timeZone }
        const now = start + after * day
        const next = nextDigest({ ...schedule, waits: away }, now) ?? 0
        expect(isAway(away, next)).toBe(false)
        // Walked from moment to moment, as if nobody were away.
        let walked = nextDigest(schedule, now) ?? 0
        while (isAway(away, walked)) walked = nextDigest(schedule, walked) ?? 0
        expect(next).toBe(walked)
      }),
      { numRuns: 60 },
    )
  })

  const look = (iso: string) => {
    server.clock.now = new Date(iso)
    return workDigests(server.db, { now: () => server.clock.now, publicUrl: '' })
  }
  const digestsOf = async (name: string) =>
    (
      await select<{ cut: Date; listed: number }>(
        server.db,
        'SELECT cut, listed FROM digests WHERE mailbox_id = :id AND cut > :since ORDER BY id',
        { id: server.mailbox(name), since: new Date('2027-02-28') },
      )
    ).map(({ cut, listed }) => [cut.toISOString().slice(0, 10), listed])

  test('they wait, and the day of the return tells all that came in one', async () => {
    await look('2027-03-01T05:00:00Z')
    await look('2027-03-01T06:00:00Z')
    server.clock.now = new Date('2027-03-01T07:00:00Z')
    const made = await change('ingrid', {
      what: 'away',
      was: [],
      to: [away('2027-03-02', '2027-03-05')],
    }).expect(200)
    for (const date of ['02', '03', '04']) {
      server.clock.now = new Date(`2027-03-${date}T05:00:00Z`)
      await arrive(server, {
        to: ['ingrid@harbour.example'],
        from: 'Deals <deals@promo.example>',
        headers: [proven('promo.example')],
      })
      await look(`2027-03-${date}T06:00:00Z`)
    }
    const before = await digestsOf('ingrid')
    await look('2027-03-05T05:59:00Z')
    expect(await digestsOf('ingrid')).toEqual(before)
    await look('2027-03-05T06:00:00Z')
    const after = await digestsOf('ingrid')
    expect(after.slice(before.length)).toEqual([['2027-03-05', 3]])
    await per.post(`/api/mailbox-changes/${made.body.change}/undo`, {}).expect(200)
  })

  test('or go to the colleague named, who may act on them as long as that lasts, and no longer', async () => {
    const { db } = server
    await look('2027-04-01T05:30:00Z')
    server.clock.now = new Date('2027-04-01T05:40:00Z')
    const made = await change('ingrid', {
      what: 'away',
      was: [],
      to: [away('2027-04-01', '2027-04-03', { digestsTo: server.mailbox('kari') })],
    }).expect(200)
    const [id = 0] = await arrive(server, {
      to: ['ingrid@harbour.example'],
      from: 'Deals <deals@promo.example>',
      headers: [proven('promo.example')],
    })
    const store = fakeStore()
    await look('2027-04-01T06:00:00Z')
    await look('2027-04-02T05:00:00Z')
    await work(server, store.send)
    const letter = store.taken.find(
      ({ to, raw }) => to === 'kari@harbour.example' && raw.includes('Kept-back mail'),
    )
    expect(letter).toBeDefined()
    const kari = await asColleague(server, 'kari')
    const { body } = await kari.get('/api/own/mail?show=near-certain').expect(200)
    expect(JSON.stringify(body)).toContain(`"id":${id},`)
    const line = await findRow<{ reference: string }>(
      db,
      'SELECT reference FROM digest_lines WHERE delivery_id = :id',
      { id },
    )
    const reply = [
      'From: Kari <kari@harbour.example>',
      'To: digest@harbour.example',
      'Subject: Re: Kept-back mail',
      `Message-ID: <${randomUUID()}@harbour.example>`,
      proven('harbour.example'),
      '',
      `> ${line?.reference}`,
      '',
    ].join('\r\n')
    const answer = await throughTheDoor(server, {
      from: 'kari@harbour.example',
      to: ['digest@harbour.example'],
      raw: reply,
    })
    expect(answer).toMatch(/^250/)
    const moved = await findRow<{ state: string }>(db, 'SELECT state FROM deliveries WHERE id = :id', { id })
    expect(moved?.state).toBe('deferred')
    server.clock.now = new Date('2027-04-03T08:00:00Z')
    const later = await asColleague(server, 'kari')
    expect(
      JSON.stringify((await later.get('/api/own/mail?show=near-certain').expect(200)).body),
    ).not.toContain(`"id":${id},`)
    await per.post(`/api/mailbox-changes/${made.body.change}/undo`, {}).expect(200)
  })
})

describe('one message kept until a day', () => {
  const keep = (id: number, until: string | null) =>
    per.post(`/api/deliveries/${id}/keep`, { until, reason: 'the auditors ask for it' })

  test('stays until the end of that day, in the colleague’s zone, and not shorter than its kind', async () => {
    server.clock.now = new Date('2027-10-01T09:00:00Z')
    const [id = 0] = await arrive(server, { to: ['kari@harbour.example'] })
    const { body } = await keep(id, '2027-12-24').expect(200)
    expect(body.goesAway).toBe('2027-12-24T23:00:00.000Z')
    expect((await oda.get(`/api/deliveries/${id}`).expect(200)).body.keptUntil).toBe('2027-12-24')
    expect((await keep(id, '2027-10-05').expect(200)).body.goesAway).toBe('2027-10-29T09:00:00.000Z')
    expect((await keep(id, null).expect(200)).body.goesAway).toBe('2027-10-29T09:00:00.000Z')
    const { lines } = (await oda.get('/api/record?what=mailboxes&who=everybody&limit=3').expect(200)).body
    expect(lines.map(({ facts }: { facts: { until: string } }) => facts.until)).toEqual([
      '',
      '2027-10-05',
      '2027-12-24',
    ])
    expect(lines[0].reason).toBe('the auditors ask for it')
    // A ruling moves it to another kind and does not end the promise.
    await keep(id, '2027-12-24').expect(200)
    await per.post('/api/rulings', ruling([id], { message: 'discard' })).expect(200)
    expect(await endOf(id)).toBe('2027-12-24')
  })

  test.each([
    ['2027-09-30', 'UNTIL_PASSED', 400],
    ['2029-10-15', 'TOO_FAR', 400],
    ['2027-02-30', 'BAD_REQUEST', 400],
  ] as const)('until %s is refused: %s', async (until, code, status) => {
    server.clock.now = new Date('2027-10-01T09:00:00Z')
    const [id = 0] = await arrive(server, { to: ['kari@harbour.example'] })
    const { body } = await keep(id, until).expect(status)
    expect(body.code).toBe(code)
    expect(await endOf(id)).toBe('2027-10-29')
  })

  test('what does not go away by itself is not kept either; nobody keeps what is not there', async () => {
    const [id = 0] = await arrive(server, { to: ['kari@harbour.example'] })
    await execute(server.db, "UPDATE deliveries SET state = 'inbox' WHERE id = :id", { id })
    expect((await keep(id, '2027-12-24').expect(409)).body.code).toBe('WRONG_STATE')
    await keep(999_999, '2027-12-24').expect(404)
    await una.post(`/api/deliveries/${id}/keep`, { until: '2027-12-24' }).expect(403)
  })
})

describe('times away on the colleague’s own page', () => {
  const own = async () => {
    const kari = await asColleague(server, 'kari')
    const read = async () => (await kari.get('/api/own/away').expect(200)).body
    const set = (was: object[], to: object[]) => kari.post('/api/own/away', { was, to, token: randomUUID() })
    return { read, set }
  }
  const time = { from: '2027-05-10', back: '2027-05-20', digestsTo: '' }

  test('entered and removed by herself, in the record as hers; what the help desk noted of one stays', async () => {
    server.clock.now = new Date('2027-05-01T09:00:00Z')
    const { read, set } = await own()
    expect(await read()).toEqual({ away: [], keep: organisation.keep })
    await set([], [time]).expect(200)
    const noted = await sheet('kari')
    await change('kari', {
      what: 'away',
      was: noted.away.map(plain),
      to: [{ ...plain(noted.away[0]), note: 'called about it' }],
    }).expect(200)
    const second = { from: '2027-06-01', back: '2027-06-03', digestsTo: 'i.solvang@harbour.example' }
    const now = (await read()).away
    expect(JSON.stringify(now)).not.toContain('called about it')
    await set(now, [...now, second]).expect(200)
    const { away } = await sheet('kari')
    expect(
      away.map(({ note, digestsToName }: { note: string; digestsToName: string }) => [note, digestsToName]),
    ).toEqual([
      ['called about it', ''],
      ['', 'Ingrid'],
    ])
    const { body } = await oda.get('/api/record?what=mailboxes&who=everybody&limit=1').expect(200)
    expect(body.lines[0]).toMatchObject({ act: 'mailbox-away', by: 'Kari', byKind: 'colleague' })
    await set((await read()).away, []).expect(200)
  })

  test('what was entered meanwhile is not lost, and nobody unknown gets digests', async () => {
    const { read, set } = await own()
    await set([], [time]).expect(200)
    const late = await set([], [{ ...time, back: '2027-05-21' }])
    expect([late.status, late.body.code]).toEqual([409, 'MAILBOX_CHANGED'])
    const { away } = await read()
    for (const [to, code] of [
      [[{ ...time, digestsTo: 'nobody@harbour.example' }], 'BAD_AWAY'],
      [[{ ...time, digestsTo: 'kari@harbour.example' }], 'BAD_AWAY'],
      [[{ ...time, back: '2027-05-10' }], 'BAD_AWAY'],
      [[{ ...time, back: 'soon' }], 'BAD_REQUEST'],
    ] as const) {
      const { body } = await set(away, [...to])
      expect(body.code).toBe(code)
    }
    expect((await read()).away).toEqual(away)
    await set(away, []).expect(200)
  })
})

describe('the table', () => {
  const rows = async (query: string) =>
    (await una.get(`/api/mailboxes/table?${query}`).expect(200)).body as {
      rows: { name: string; kept: number; awayUntil: string | null; unlike: boolean; released: number }[]
      total: number
      next: string | null
      departments: string[]
    }

  test('shows all by name, with what is unusual about each, a page at a time', async () => {
    const all = await rows('')
    expect(all.rows.map(({ name }) => name)).toEqual(['Aksel', 'Bookings', 'Ingrid', 'Kari'])
    expect(all.departments).toEqual(['Office'])
    expect(all.rows.find(({ name }) => name === 'Aksel')?.unlike).toBe(true)
    for (const order of ['name', 'kept', 'released', 'going']) {
      const whole = await rows(`order=${order}`)
      const paged: string[] = []
      let after = ''
      do {
        const page = await rows(`order=${order}&limit=1${after && `&after=${encodeURIComponent(after)}`}`)
        paged.push(...page.rows.map(({ name }) => name))
        after = page.next ?? ''
      } while (after)
      expect([order, paged]).toEqual([order, whole.rows.map(({ name }) => name)])
    }
  })

  test.each([
    ['kind=shared', ['Bookings']],
    ['department=Office&find=i.solvang', ['Ingrid']],
    ['department=Elsewhere', []],
    ['trait=unlike', ['Aksel']],
    ['trait=filtering-off', ['Kari']],
    ['trait=digest-off', ['Bookings']],
    ['trait=away', ['Ingrid']],
    ['find=%25', []],
  ])('%s', async (query, names) => {
    const { db } = server
    server.clock.now = new Date('2027-06-01T09:00:00Z')
    await execute(db, "UPDATE mailboxes SET filtering = FALSE WHERE name = 'Kari'")
    await execute(db, "UPDATE mailboxes SET digest_weekdays = '[]' WHERE name = 'Bookings'")
    await execute(
      db,
      "INSERT INTO away_periods (mailbox_id, from_at, until_at) SELECT id, '2027-05-20', '2027-06-11' FROM mailboxes WHERE name = 'Ingrid'",
    )
    const found = await rows(query)
    const expected = query === 'trait=unlike' ? ['Aksel', 'Bookings'] : names
    expect(found.rows.map(({ name }) => name)).toEqual(expected)
    expect(found.total).toBe(expected.length)
    await execute(db, 'DELETE FROM away_periods')
    await execute(db, 'UPDATE mailboxes SET filtering = TRUE, digest_weekdays = NULL')
  })

  test('what was kept back, released, or is about to go and likely wanted, counts as it does row by row', async () => {
    server.clock.now = new Date('2027-08-01T09:00:00Z')
    const ids: number[] = []
    for (let i = 0; i < 6; i += 1) ids.push(...(await arrive(server, { to: ['kari@harbour.example'] })))
    await per
      .post('/api/rulings', ruling(ids.slice(0, 5), { message: 'release', reason: 'wanted' }))
      .expect(200)
    await execute(
      server.db,
      "UPDATE deliveries SET state = 'released', bound_for = NULL WHERE id IN (:ids)",
      {
        ids: ids.slice(0, 5),
      },
    )
    await execute(server.db, "UPDATE deliveries SET points = 'wanted' WHERE id = :id", { id: ids[5] })
    server.clock.now = new Date('2027-08-27T09:00:00Z')
    const released = await rows('trait=released&order=released')
    expect(released.rows).toMatchObject([{ name: 'Kari', released: 5 }])
    const going = await rows('trait=going')
    expect(going.rows.map(({ name }) => name)).toContain('Kari')
    const page = await sheet('kari')
    expect(page.going.wanted).toBeGreaterThanOrEqual(1)
    expect(page.days).toHaveLength(30)
    expect(page.days.find(({ day }: { day: string }) => day === '2027-08-01')).toMatchObject({
      keptBack: 6,
      released: 5,
    })
  })
})

describe('defaults of the organisation', () => {
  const read = async () => (await per.get('/api/organisation/defaults')).body as DefaultsAnswer
  const set = (change: object, by = oda) =>
    by.post('/api/organisation/defaults/changes', { change, token: randomUUID() })
  interface DefaultsAnswer {
    readonly defaults: { limits: object; keep: Record<string, number>; headerDays: number }
    readonly mailboxes: number
    readonly unlike: { limits: number; keeping: number }
  }

  test('are the stewards’, are changed as acts, and reach those without their own', async () => {
    const { defaults, mailboxes, unlike } = await read()
    expect(mailboxes).toBeGreaterThan(2)
    const to = { junk: 30, quarantined: 50, nearCertain: 90 }
    const change = { what: 'limits', was: defaults.limits, to }
    expect((await set(change, per)).status).toBe(403)
    const made = await set(change)
    expect(made.status).toBe(200)
    const sheet = (await per.get(`/api/mailboxes/${server.mailbox('ingrid')}`)).body as MailboxSheet
    expect(sheet.organisation.limits).toEqual(to)
    // Somebody who saw what was before is told.
    expect((await set(change)).body.code).toBe('MAILBOX_CHANGED')
    expect((await set({ ...change, was: to })).body.code).toBe('NOTHING_TO_DO')
    const undo = () => oda.post(`/api/mailbox-changes/${made.body.change}/undo`, {})
    expect((await per.post(`/api/mailbox-changes/${made.body.change}/undo`, {})).body.code).toBe(
      'NEEDS_STEWARD',
    )
    expect((await undo()).status).toBe(200)
    expect((await undo()).body.code).toBe('ALREADY_UNDONE')
    expect(await read()).toMatchObject({ defaults, mailboxes, unlike })
    const { body } = await per.get('/api/record?what=mailboxes&who=everybody')
    expect(body.lines.slice(0, 2).map(({ act }: { act: string }) => act)).toEqual([
      'mailbox-undone',
      'organisation-limits',
    ])
  })

  test('limits are tried part by part; the parts come to the whole, and every one says how to go on', async () => {
    server.clock.now = new Date('2027-09-01T09:00:00Z')
    for (let i = 0; i < 9; i += 1)
      await arrive(server, { to: ['kari@harbour.example', 'ingrid@harbour.example'] })
    const { defaults } = await read()
    const to = { junk: 99, quarantined: 99, nearCertain: 100 }
    const given = { what: 'limits' as const, was: defaults.limits as typeof to, to }
    const effect = (more: object) => defaultsEffect(server.db, given, server.clock.now, more)
    const { replay: whole } = await effect({})
    expect(whole?.part).toEqual({ decided: whole?.part?.of, of: whole?.part?.of, next: null })
    const through = whole?.letThrough ?? { wanted: 0, doubtful: 0, harmful: 0 }
    expect(through.wanted + through.doubtful + through.harmful).toBeGreaterThan(8)
    const sum = { wanted: 0, doubtful: 0, harmful: 0, decided: 0 }
    let before: number | null = null
    let parts = 0
    do {
      const { replay } = await effect({ before, atOnce: 4 })
      const { letThrough, part } = replay ?? {}
      expect(part?.of).toBe(before === null ? whole?.part?.of : 0)
      for (const kind of ['wanted', 'doubtful', 'harmful'] as const) sum[kind] += letThrough?.[kind] ?? 0
      sum.decided += part?.decided ?? 0
      before = part?.next ?? null
      parts += 1
    } while (before !== null)
    expect(parts).toBeGreaterThan(3)
    expect(sum).toEqual({ ...through, decided: whole?.part?.decided })
  })

  test('fewer days: what goes sooner is said, then noted mailbox by mailbox; own days and undo keep theirs', async () => {
    const { defaults } = await read()
    const [mine = 0] = await arrive(server, { to: ['aksel@harbour.example'] })
    const endOf = async (id: number) =>
      (
        await select<{ expires_at: Date }>(server.db, 'SELECT expires_at FROM deliveries WHERE id = :id', {
          id,
        })
      )[0]?.expires_at
    const before = await endOf(mine)
    const to = { ...defaults.keep, quarantined: 7 }
    const change = { what: 'keeping', was: defaults.keep, to }
    const { body: effect } = await per.post('/api/organisation/defaults/effect', { change })
    expect(effect.ends.sooner).toBeGreaterThan(0)
    expect(effect.ends.later).toBe(0)
    const { body } = await set(change)
    while ((await workEnds(server.db, server.clock.now)) > 0);
    const days = ((before?.getTime() ?? 0) - ((await endOf(mine))?.getTime() ?? 0)) / 86_400_000
    expect(days).toBe((defaults.keep.quarantined ?? 0) - 7)
    await oda.post(`/api/mailbox-changes/${body.change}/undo`, {})
    while ((await workEnds(server.db, server.clock.now)) > 0);
    expect(await endOf(mine)).toEqual(before)
  })

  test.each([
    [
      'limits that are none',
      { what: 'limits', to: { junk: 60, quarantined: 50, nearCertain: 90 } },
      'BAD_LIMITS',
    ],
    ['a day', { what: 'keeping', to: { quarantined: 1, junk: 28, discarded: 28 } }, 'BAD_REQUEST'],
    ['headers for ten years', { what: 'header-days', to: 3650 }, 'BAD_REQUEST'],
  ])('%s are refused', async (_name, given, code) => {
    const { defaults } = await read()
    const was = { limits: defaults.limits, keeping: defaults.keep, 'header-days': defaults.headerDays }[
      given.what
    ]
    expect((await set({ ...given, was })).body.code).toBe(code)
  })
})
