import { gunzipSync } from 'node:zlib'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest'
import type { Bound } from '../src/db/bound.ts'
import { execute, select, selectBound } from '../src/db/database.ts'
import { arrive, proven, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  // The clock of these tests runs for days.
  await execute(server.db, "UPDATE sessions SET expires_at = '2040-01-01'")
})
afterAll(() => server.close())

interface Scanned {
  readonly id: number
  readonly state: string
  readonly mailbox_id: number
  readonly score: string
  readonly received_at: Date
  readonly from_address: string
  readonly from_name: string
  readonly subject: string
  readonly sent_to: string
  readonly called: string | null
  readonly came_from: string | null
  readonly size: number
}

const keptBack = ['junk', 'quarantined', 'sealed', 'inspecting']
/** By what people said, in words of its own: what `misjudged` means. */
function isMisjudged({ called, state, came_from: from }: Scanned): boolean {
  const wasKept = from === 'junk' || from === 'quarantined'
  if (called === 'wanted') return keptBack.includes(state) || wasKept
  const hadArrived = ['inbox', 'aside', 'moved', 'released'].includes(state)
  return called === 'junk' && (hadArrived || (state === 'discarded' && !wasKept && from !== 'sealed'))
}

function isFrom({ from_address, from_name }: Scanned, from: string): boolean {
  if (from.includes('@') && !from.endsWith('@')) return from_address === from
  if (from.includes('.')) return from_address.endsWith(`@${from}`) || from_address.endsWith(`.${from}`)
  return `${from_address}\n${from_name}`.toLowerCase().includes(from)
}

const tick = (minutes: number) => {
  server.clock.now = new Date(server.clock.now.getTime() + minutes * 60_000)
}

describe('a list by exact filters', () => {
  const list = async (query: object) => {
    const { body, status } = await per.get(`/api/whereabouts/list?${new URLSearchParams({ ...query })}`)
    expect([status, body.code]).toEqual([200, undefined])
    return body as { rows: { id: number; subject: string; state: string }[]; next: string | null }
  }
  test('each filter by itself, and pages without gap or double', async () => {
    tick(60 * 24)
    const ids: number[] = []
    for (let i = 0; i < 5; i += 1) {
      tick(1)
      ids.push(
        ...(await arrive(server, {
          from: `Exact <x${i}@exact.example>`,
          to: ['aksel@harbour.example'],
          subject: `Exact ${i}`,
          headers: [proven('exact.example')],
          body: `<p>${'x'.repeat(i * 1000)}<a href="http://192.0.2.77/x">www.parcel.example</a></p><p style="display:none">${'out of sight '.repeat(5)}</p>`,
        })),
      )
    }
    const mailbox = server.mailbox('aksel')
    const day = server.clock.now.toISOString().slice(0, 10)
    const subjects = async (query: object) =>
      (await list({ mailbox, since: day, ...query })).rows.map(({ subject }) => subject)
    expect(await subjects({ until: day })).toEqual([4, 3, 2, 1, 0].map(i => `Exact ${i}`))
    expect(await subjects({ sizeFrom: 3 })).toEqual(['Exact 4', 'Exact 3'])
    expect(await subjects({ sizeTo: 2 })).toEqual(['Exact 1', 'Exact 0'])
    expect(await subjects({ without: 'x4@ x3@' })).toEqual(['Exact 2', 'Exact 1', 'Exact 0'])
    expect(await subjects({ without: '%' })).toHaveLength(5)
    expect(await subjects({ scoreFrom: 99.9 })).toEqual([])
    expect(await subjects({ state: 'sealed' })).toEqual([])
    expect(await subjects({ until: '2026-11-01' })).toEqual([])
    const first = await list({ mailbox, since: day, limit: 2 })
    const second = await list({ mailbox, since: day, limit: 2, after: first.next ?? '' })
    const third = await list({ mailbox, since: day, limit: 2, after: second.next ?? '' })
    expect([...first.rows, ...second.rows, ...third.rows].map(({ id }) => id)).toEqual([...ids].reverse())
    expect(third.next).toBeNull()
  })
  test('a Message-ID, as it stands in the header', async () => {
    const [{ id = 0, source = Buffer.from('') } = {}] = await select<{ id: number; source: Buffer }>(
      server.db,
      'SELECT d.id, s.gzip AS source FROM deliveries d JOIN message_sources s ON s.message_id = d.message_id ORDER BY d.id DESC LIMIT 1',
    )
    const messageId = /^Message-ID: (<[^>]+>)/im.exec(gunzipSync(source).toString())?.[1] ?? ''
    expect((await list({ messageId })).rows.map(row => row.id)).toEqual([id])
    expect((await list({ messageId: '<nobody@nowhere.example>' })).rows).toEqual([])
  })
  test('whichever key it reads by, it finds what a plain scan finds, in the same order', async () => {
    await arrive(server, { to: ['kari@harbour.example', 'ingrid@harbour.example'], body: 'y'.repeat(9000) })
    const [first = 0, second = 0] = (
      await select<{ id: number }>(
        server.db,
        "SELECT id FROM deliveries WHERE state = 'quarantined' ORDER BY id",
      )
    ).map(({ id }) => id)
    await per.post('/api/rulings', ruling([first], { message: 'release', learn: 'wanted' }))
    await per.post('/api/rulings', ruling([second], { message: 'discard', learn: 'junk' }))
    expect((await list({ state: 'misjudged' })).rows.map(({ id }) => id)).toEqual([first])
    const all = await select<Scanned>(
      server.db,
      `SELECT d.id, d.state, d.mailbox_id, d.score, d.received_at, d.from_address, d.from_name, d.subject, d.came_from, m.called, m.size,
         IF(d.address_used = '', b.address, d.address_used) AS sent_to
       FROM deliveries d JOIN messages m ON m.id = d.message_id JOIN mailboxes b ON b.id = d.mailbox_id`,
    )
    const range = (most: number) =>
      fc
        .tuple(fc.integer({ min: 0, max: most }), fc.integer({ min: 0, max: most }))
        .map(ends => ends.sort((a, b) => a - b))
    await fc.assert(
      fc.asyncProperty(
        fc.option(range(100)),
        fc.option(range(10)),
        fc.constantFrom(undefined, 'quarantined', 'deferred', 'misjudged'),
        fc.constantFrom(undefined, 'aksel', 'kari'),
        fc.constantFrom('', 'x1@', 'promo exact'),
        fc.record({
          from: fc.constantFrom('', '', 'x1@exact.example', 'exact.example', 'exac', 'promo'),
          to: fc.constantFrom('', '', 'aksel@', 'harbour.example', 'nobody'),
          subject: fc.constantFrom('', '', 'xact 1', 'EXACT', '%'),
        }),
        async (scores, sizes, state, name, without, { from, to, subject }) => {
          const mailbox = name && server.mailbox(name)
          const [scoreFrom = 0, scoreTo = 100] = scores ?? []
          const [sizeFrom = 0, sizeTo = Infinity] = sizes ?? []
          const parts = without.split(' ').filter(part => part !== '')
          const plain = all
            .filter(
              row =>
                (state === undefined || (state === 'misjudged' ? isMisjudged(row) : row.state === state)) &&
                (from === '' || isFrom(row, from)) &&
                row.sent_to.includes(to) &&
                row.subject.toLowerCase().includes(subject.toLowerCase()) &&
                (mailbox === undefined || row.mailbox_id === mailbox) &&
                Number(row.score) >= scoreFrom &&
                Number(row.score) <= scoreTo &&
                row.size >= sizeFrom * 1000 &&
                row.size <= sizeTo * 1000 &&
                !parts.some(part => row.from_address.includes(part)),
            )
            .sort((a, b) => b.received_at.getTime() - a.received_at.getTime() || b.id - a.id)
          const { rows } = await list({
            scoreFrom,
            scoreTo,
            sizeFrom,
            ...(sizes === null ? {} : { sizeTo }),
            ...(state === undefined ? {} : { state }),
            ...(mailbox === undefined ? {} : { mailbox }),
            without,
            from,
            to,
            subject,
            limit: 200,
          })
          expect(rows.map(({ id }) => id)).toEqual(plain.map(({ id }) => id))
        },
      ),
      { numRuns: 120 },
    )
  })
  // The very statements the service sends, asked how they would be carried out.
  test('no combination of filters reads the deliveries or the messages without an index', async () => {
    const statements: Bound[] = []
    const query = vi.spyOn(server.db, 'query')
    const combinations = [
      {},
      { state: 'inbox' },
      { mailbox: '1' },
      { mailbox: '1', state: 'junk', scoreFrom: '10', scoreTo: '20' },
      { since: '2026-11-01', until: '2026-11-20', sizeFrom: '1', sizeTo: '900' },
      { without: 'x@' },
      { sizeFrom: '5000' },
      { scoreFrom: '99', scoreTo: '100' },
      { scoreTo: '1', state: 'inbox', sizeTo: '3' },
      { messageId: '<1@test.example>' },
      { messageId: '<1@test.example>', mailbox: '1', state: 'inbox' },
      { from: 'x1@exact.example' },
      { from: 'exact.example', mailbox: '1' },
      { from: 'exac', to: 'aksel', subject: 'exact' },
      { state: 'misjudged' },
      { state: 'misjudged', mailbox: '1', scoreFrom: '40' },
      { direction: 'out' },
      { direction: 'out', mailbox: '1', since: '2026-11-01' },
    ]
    for (const combination of combinations) {
      const { next } = await list({ ...combination, limit: 1 })
      if (next) await list({ ...combination, limit: 1, after: next })
    }
    for (const [sql, options] of query.mock.calls)
      if (/FROM (deliveries|messages) /.test(String(sql)))
        statements.push({
          sql: String(sql),
          bind: (options as unknown as Bound).bind,
        })
    query.mockRestore()
    expect(statements.length).toBeGreaterThan(combinations.length)
    for (const { sql, bind } of statements) {
      const plan = await selectBound<{ table: string; type: string; key: string | null }>(server.db, {
        sql: `EXPLAIN ${sql}`,
        bind,
      })
      const scans = plan.filter(({ table, type }) => /^[dm]$/.test(table ?? '') && type === 'ALL')
      expect([sql, scans]).toEqual([sql, []])
    }
  })
})
