import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { noAuthentication } from '@pendro/core/senders'
import type { ReviewFilter } from '@pendro/contract'
import { execute, select } from '../src/db/database.ts'
import { Deliveries } from '../src/db/models/deliveries.ts'
import { Messages } from '../src/db/models/messages.ts'
import { idAt, insert } from '../src/db/rows.ts'
import { readCursor } from '../src/db/cursor.ts'
import { clusterSizes, countBins, listPage, shownTo, statesOf } from '../src/review/queries.ts'
import { takeIn } from '../src/intake/intake.ts'
import { arrive, found, sample, signedIn, startTestServer, type TestServer } from './support.ts'

interface Made {
  readonly id: number
  readonly state: string
  readonly mailbox_id: number
  readonly received_at: Date
  readonly received_day: string
  readonly expires_at: Date
  readonly score: number
  readonly rank_score: number
  readonly subject: string
  readonly cluster_key: string
}

const now = new Date('2026-11-20T09:00:00.000Z')
const day = 86_400_000
let server: TestServer
let made: readonly Made[] = []

/** 400 deliveries with few different scores, times and clusters, so that ties and clusters abound. */
beforeAll(async () => {
  server = await startTestServer()
  const mailboxes = ['ingrid', 'aksel', 'kari', 'bookings'].map(server.mailbox)
  const random = fc.sample(
    fc.record({
      state: fc.constantFrom('quarantined', 'junk', 'released', 'discarded', 'sealed'),
      mailbox_id: fc.constantFrom(...mailboxes),
      hours: fc.integer({ min: 0, max: 20 * 24 }),
      score: fc.integer({ min: 0, max: 40 }).map(n => n * 2.5),
      rank: fc.integer({ min: -20, max: 20 }).map(n => n * 0.5),
      subject: fc.constantFrom('Ramp survey', 'Timetable 100%', 'under_score', 'Parcel'),
      cluster: fc.integer({ min: 0, max: 90 }),
    }),
    { numRuns: 400, seed: 7 },
  )
  const messageIds = await insert(
    server.db,
    Messages,
    random.map(r => ({
      direction: 'in',
      received_at: now,
      message_id_hash: null,
      envelope_from: '',
      from_name: '',
      from_address: '',
      subject: r.subject,
      size: 1,
      sender_facts: noSender,
      harm: null,
      bulk: false,
      unreadable: null,
    })),
  )
  const rows = random.map((r, i) => {
    const received = new Date(now.getTime() - r.hours * 3_600_000)
    return {
      message_id: idAt(messageIds, i),
      mailbox_id: r.mailbox_id,
      address_used: '',
      received_at: received,
      received_day: new Date(received.getTime() + 3_600_000).toISOString().slice(0, 10),
      expires_at: new Date(received.getTime() + 28 * day),
      state: r.state,
      score: r.score,
      rank_base: r.rank,
      rank_score: r.rank,
      left_out: false,
      from_name: 'N',
      from_address: 'n@x.example',
      subject: r.subject,
      reasons: [],
      attachments: 0,
      cluster_key: r.cluster.toString(16).padStart(32, '0'),
    }
  })
  const ids = await insert(server.db, Deliveries, rows)
  made = rows.map((row, i) => ({ ...row, id: idAt(ids, i) }))
})
afterAll(() => server.close())

const noSender = {
  from: [],
  envelopeFrom: null,
  sender: null,
  listId: null,
  authentication: noAuthentication,
}

/** Everybody's mail, or that of some mailboxes, also of none. */
const scopes = fc.option(fc.subarray([1, 2, 3, 4]), { nil: null })

const filters = fc
  .record({
    states: fc.constantFrom('kept', 'quarantined', 'junk', 'sealed', 'released', 'discarded') as fc.Arbitrary<
      ReviewFilter['states']
    >,
    days: fc.integer({ min: 1, max: 25 }),
    mailbox: fc.option(fc.integer({ min: 1, max: 4 }), { nil: undefined }),
    band: fc.constantFrom([0, 100], [20, 60], [40, 62], [0, 80], [98, 100]),
    find: fc.constantFrom(undefined, 'ramp', '100%', '_', 'nothing like it'),
  })
  .map(({ band, ...rest }): ReviewFilter => ({ ...rest, from: band[0] ?? 0, to: band[1] ?? 100 }))

/** The plain meaning of a filter, written without SQL. */
function matching(
  { states, days, mailbox, from, to, find }: ReviewFilter,
  scope: readonly number[] | null,
): readonly Made[] {
  const since = new Date(now.getTime() + 3_600_000 - (days - 1) * day).toISOString().slice(0, 10)
  return made.filter(
    d =>
      (statesOf[states] as readonly string[]).includes(d.state) &&
      d.received_day >= since &&
      (scope === null || scope.includes(d.mailbox_id)) &&
      (mailbox === undefined || d.mailbox_id === mailbox) &&
      d.score >= from &&
      (to === 100 || d.score < to) &&
      (find === undefined || d.subject.toLowerCase().includes(find)),
  )
}

const keys = {
  wanted: (d: Made) => d.rank_score,
  newest: (d: Made) => -d.received_at.getTime(),
  oldest: (d: Made) => d.received_at.getTime(),
  expiring: (d: Made) => d.expires_at.getTime(),
} as const

function expectedRows(
  filter: ReviewFilter,
  scope: readonly number[] | null,
  order: keyof typeof keys,
): readonly number[] {
  const sign = order === 'newest' ? -1 : 1
  const sorted = [...matching(filter, scope)].sort(
    (a, b) => keys[order](a) - keys[order](b) || sign * (a.id - b.id),
  )
  const seen = new Set<string>()
  return sorted.filter(d => !seen.has(d.cluster_key) && seen.add(d.cluster_key)).map(({ id }) => id)
}

describe('the list against a plain reading of the sentence', () => {
  test('every filter, order and page size: the same rows in the same order, none twice, none missed', async () => {
    await fc.assert(
      fc.asyncProperty(
        filters,
        scopes,
        fc.constantFrom('wanted', 'newest', 'oldest', 'expiring'),
        fc.integer({ min: 3, max: 60 }),
        async (filter, scope, order, limit) => {
          const shown = shownTo({ scope, timeZone: 'Europe/Oslo' }, filter, now)
          const found: number[] = []
          let after: string | undefined
          do {
            const page = await listPage(server.db, shown, { order, after: readCursor(after), limit })
            found.push(...page.rows.map(({ id }) => id))
            after = page.next ?? undefined
          } while (after !== undefined)
          expect(found).toEqual(expectedRows(filter, scope, order))
        },
      ),
      { numRuns: 60 },
    )
  })

  test('counts along the score, and cluster sizes', async () => {
    await fc.assert(
      fc.asyncProperty(filters, scopes, async (filter, scope) => {
        const shown = shownTo({ scope, timeZone: 'Europe/Oslo' }, filter, now)
        const bins = Array<number>(50).fill(0)
        for (const d of matching({ ...filter, from: 0, to: 100 }, scope))
          bins[Math.min(49, Math.floor(d.score / 2))]! += 1
        expect(await countBins(server.db, shown)).toEqual(bins)
        const members = matching(filter, scope)
        const sizes = await clusterSizes(server.db, shown, [...new Set(members.map(d => d.cluster_key))])
        for (const [key, { deliveries, colleagues }] of sizes) {
          const same = members.filter(d => d.cluster_key === key)
          expect([deliveries, colleagues]).toEqual([same.length, new Set(same.map(d => d.mailbox_id)).size])
        }
      }),
      { numRuns: 40 },
    )
  })

  test('a place somebody made up is told so', () => {
    for (const text of ['', '%%%', 'YWJj', Buffer.from('1|x').toString('base64url')])
      expect(() => readCursor(text)).toThrow(expect.objectContaining({ code: 'BAD_CURSOR' }))
  })
})

test('the sheet explains: evidence adds up to the score, each stage has a line, reading is in the record once', async () => {
  const [id = 0] = await arrive(server, { subject: 'Explain me' })
  const per = await signedIn(server, 'per')
  const { body } = await per.get(`/api/deliveries/${id}`)
  const sum = body.evidence.reduce((total: number, { weight }: { weight: number }) => total + weight, 0)
  expect(Math.round(1000 / (1 + Math.exp(-sum))) / 10).toBe(body.row.score)
  expect(body.path.map(({ stage }: { stage: string }) => stage)).toEqual([
    'harm',
    'binding',
    'personal',
    'organisation',
    'rules',
    'switched-off',
    'score',
    'placing',
  ])
  await per.get(`/api/deliveries/${id}/view`)
  await per.get(`/api/deliveries/${id}/view?as=text`)
  const read = await select(
    server.db,
    "SELECT 1 AS one FROM record_entries WHERE act = 'read' AND delivery_id = :id",
    { id },
  )
  expect(read).toHaveLength(1)
})

test('what is in a colleague’s own mailbox is opened with a reason, which the record keeps', async () => {
  const server = await startTestServer()
  const per = await signedIn(server, 'per')
  const una = await signedIn(server, 'una')
  const [id = 0] = await arrive(server, { subject: 'Private', body: '<p>Between the two of us</p>' })
  await execute(server.db, "UPDATE deliveries SET state = 'inbox' WHERE id = :id", { id })
  for (const path of ['view', 'source']) {
    const refused = await per.get(`/api/deliveries/${id}/${path}`)
    expect([refused.status, refused.body.code]).toEqual([403, 'SAY_WHY'])
  }
  expect((await per.get(`/api/deliveries/${id}`)).body.asksWhy).toBe(true)
  expect((await per.post(`/api/deliveries/${id}/why`, { reason: ' ' })).body.code).toBe('BAD_REQUEST')
  await per.post(`/api/deliveries/${id}/why`, { reason: 'Asked by phone which boat it was' })
  expect((await per.get(`/api/deliveries/${id}/view`)).text).toContain('Between the two of us')
  expect((await per.get(`/api/deliveries/${id}`)).body.asksWhy).toBe(false)
  // for oneself, and for half an hour
  expect((await una.get(`/api/deliveries/${id}/view`)).body.code).toBe('SAY_WHY')
  server.clock.now = new Date(server.clock.now.getTime() + 31 * 60_000)
  expect((await per.get(`/api/deliveries/${id}/view`)).body.code).toBe('SAY_WHY')
  const { lines } = (await per.get('/api/record?what=reading&who=everybody')).body
  expect(lines).toMatchObject([{ act: 'read', by: 'Per Dal', reason: 'Asked by phone which boat it was' }])
  await server.close()
})

test('the sheet tells what was checked of the sender, and by whom', async () => {
  const per = await signedIn(server, 'per')
  const checks = async (ids: readonly number[]) => (await per.get(`/api/deliveries/${ids[0]}`)).body.checks
  expect(await checks(await arrive(server))).toMatchObject({ by: 'nobody', lines: [] })
  const results = 'dmarc=fail header.from=xn--bcher-kva.example; spf=softfail smtp.mailfrom=a@post.example'
  const byGateway = await arrive(server, {
    from: 'a@xn--bcher-kva.example',
    headers: [found(results, 'post.example')],
  })
  expect(await checks(byGateway)).toEqual({
    by: 'gateway',
    lines: [
      { method: 'dmarc', result: 'fail', domain: 'bücher.example' },
      { method: 'spf', result: 'softfail', domain: 'post.example' },
    ],
  })
  const authenticate = () =>
    Promise.resolve({
      by: 'pendro' as const,
      dmarc: { result: 'none' as const, domain: '' },
      spf: { result: 'pass' as const, domain: 'relay.example' },
      dkim: [{ result: 'neutral' as const, domain: 'x.example' }],
      arc: { result: 'pass' as const, sealer: 'relay.example' },
    })
  const [taken] = await takeIn(
    server.db,
    [
      {
        raw: sample(),
        envelopeFrom: 'a@relay.example',
        recipients: ['ingrid@harbour.example'],
        receivedAt: server.clock.now,
        connection: { ip: '198.51.100.7', helo: 'relay.example' },
      },
    ],
    { onward: 'queue', authenticate },
  )
  const own = await checks(taken?.deliveries.map(({ id }) => id) ?? [])
  expect(own.by).toBe('pendro')
  expect(own.lines.at(-1)).toEqual({ method: 'arc', result: 'pass', domain: 'relay.example' })
})
