import fc from 'fast-check'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { execute, select } from '../src/db/database.ts'
import { planAgain, workDigests } from '../src/digests/sending.ts'
import {
  arrive,
  fakeStore,
  proven,
  ruling,
  signedIn,
  startTestServer,
  stateOf,
  work,
  type TestServer,
} from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

const at = (iso: string) => {
  server.clock.now = new Date(iso)
}
const look = () => workDigests(server.db, { now: () => server.clock.now, publicUrl: '' })
const held = (to: string, subject: string) =>
  arrive(server, {
    to: [to],
    subject,
    from: 'Deals <deals@promo.example>',
    headers: [proven('promo.example')],
  })
const digestsOf = (name: string) =>
  select<{ cut: Date; listed: number; left_out: number }>(
    server.db,
    'SELECT cut, listed, left_out FROM digests WHERE mailbox_id = :id ORDER BY id',
    { id: server.mailbox(name) },
  )

test('by itself at seven in the mailbox’s zone, once; nothing to say, no digest; a shared one to its minders', async () => {
  at('2026-11-20T05:00:00Z')
  await look()
  await held('ingrid@harbour.example', 'One')
  await held('bookings@harbour.example', 'Two')
  at('2026-11-20T05:59:59Z')
  await look()
  expect(await digestsOf('ingrid')).toEqual([])
  at('2026-11-20T06:00:00Z')
  await look()
  expect(await digestsOf('ingrid')).toMatchObject([{ listed: 1, left_out: 0 }])
  expect(await digestsOf('kari')).toEqual([])
  await look()
  expect(await digestsOf('ingrid')).toHaveLength(1)
  const store = fakeStore()
  await work(server, store.send)
  expect(store.taken.map(({ to }) => to).sort()).toEqual([
    'aksel@harbour.example',
    'ingrid@harbour.example',
    'kari@harbour.example',
  ])
  expect(store.taken.find(({ to }) => to === 'ingrid@harbour.example')?.raw).toMatch(
    /[2-9A-Z]{3}-[2-9A-Z]{3}/,
  )
})

test('after days without a server one digest tells it all, and the next is the next to come', async () => {
  await held('ingrid@harbour.example', 'While we were away')
  at('2026-11-24T11:00:00Z')
  await look()
  expect((await digestsOf('ingrid')).at(-1)).toMatchObject({
    cut: new Date('2026-11-24T11:00:00Z'),
    listed: 1,
  })
  const [due] = await select(server.db, 'SELECT next_at FROM digest_due WHERE mailbox_id = :id', {
    id: server.mailbox('ingrid'),
  })
  expect(due).toEqual({ next_at: new Date('2026-11-25T06:00:00Z') })
})

test('a mailbox’s own times and days; none at all is off', async () => {
  const id = server.mailbox('kari')
  const set = async (times: string[], weekdays: number[] | null) => {
    await execute(
      server.db,
      'UPDATE mailboxes SET digest_times = :times, digest_weekdays = :weekdays WHERE id = :id',
      {
        id,
        times: JSON.stringify(times),
        weekdays: weekdays && JSON.stringify(weekdays),
      },
    )
    await planAgain(server.db, id)
    await look()
    const [due] = await select<{ next_at: Date | null }>(
      server.db,
      'SELECT next_at FROM digest_due WHERE mailbox_id = :id',
      { id },
    )
    return due?.next_at?.toISOString() ?? null
  }
  expect(await set(['12:30', '16:00'], [5])).toBe('2026-11-27T11:30:00.000Z')
  expect(await set([], null)).toBe(null)
  expect(await set(['07:00'], null)).toBe('2026-11-25T06:00:00.000Z')
})

test('what was looked at for a while is in the next digest, however old it is by then', async () => {
  const [id = 0] = await held('kari@harbour.example', 'In the lab')
  await execute(server.db, "UPDATE deliveries SET state = 'inspecting' WHERE id = :id", { id })
  at('2026-11-25T06:00:00Z')
  await look()
  const before = (await digestsOf('kari')).length
  await execute(server.db, "UPDATE deliveries SET state = 'quarantined' WHERE id = :id", { id })
  at('2026-11-26T06:00:00Z')
  await look()
  const [next] = (await digestsOf('kari')).slice(before)
  expect((next?.listed ?? 0) + (next?.left_out ?? 0)).toBe(1)
  expect(await stateOf(server.db, id)).toBe('quarantined')
})

test(
  'whatever comes between: each kept-back delivery is in exactly one digest of its mailbox, or ruled on',
  { timeout: 300_000 },
  async () => {
    const per = await signedIn(server, 'per')
    await execute(server.db, "UPDATE sessions SET expires_at = '2040-01-01'")
    const step = fc.oneof(
      { weight: 4, arbitrary: fc.constant('mail' as const) },
      { weight: 2, arbitrary: fc.constant('two processes' as const) },
      { weight: 2, arbitrary: fc.constant('crash' as const) },
      { weight: 1, arbitrary: fc.constant('ruling' as const) },
      { weight: 1, arbitrary: fc.constant('send one now' as const) },
      { weight: 3, arbitrary: fc.constant('time' as const) },
    )
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(step, fc.integer({ min: 1, max: 40 })), { minLength: 5, maxLength: 14 }),
        async steps => {
          const mine: number[] = []
          for (const [what, n] of steps) {
            // Hours go by, over nights, weekends and, in the long run, changes of the clock.
            server.clock.now = new Date(server.clock.now.getTime() + n * 1_800_000)
            if (what === 'mail') mine.push(...(await held('aksel@harbour.example', `Step ${n}`)))
            if (what === 'two processes') await Promise.all([look(), look()])
            if (what === 'time') await look()
            if (what === 'crash') await crashing()
            if (what === 'send one now')
              await per.post(`/api/mailboxes/${server.mailbox('aksel')}/digest`, {})
            const last = mine.at(-1)
            if (what === 'ruling' && last !== undefined)
              await per.post('/api/rulings', ruling([last], { message: 'discard' }))
          }
          server.clock.now = new Date(server.clock.now.getTime() + 9 * 86_400_000)
          await look()
          const rows = await select<{ id: number; state: string; n: number }>(
            server.db,
            `SELECT d.id, d.state, COUNT(l.digest_id) AS n FROM deliveries d LEFT JOIN digest_lines l ON l.delivery_id = d.id
         WHERE d.id IN (:mine) GROUP BY d.id, d.state`,
            { mine: [0, ...mine] },
          )
          expect(rows).toHaveLength(mine.length)
          for (const { state, n } of rows) {
            if (state === 'quarantined' || state === 'junk') expect(n).toBe(1)
            else expect(n).toBeLessThanOrEqual(1)
          }
        },
      ),
      { numRuns: 12 },
    )
    const sums = await select<{ bad: number }>(
      server.db,
      `SELECT COUNT(*) AS bad FROM digests g WHERE g.listed <> (SELECT COUNT(*) FROM digest_lines l WHERE l.digest_id = g.id AND l.reference IS NOT NULL)
       OR g.left_out <> (SELECT COUNT(*) FROM digest_lines l WHERE l.digest_id = g.id AND l.reference IS NULL)`,
    )
    expect(sums).toEqual([{ bad: 0 }])

    /** The process dies after the cut and before the commit: the database takes all of it back. */
    async function crashing(): Promise<void> {
      await execute(
        server.db,
        "CREATE TRIGGER crash BEFORE INSERT ON outbox FOR EACH ROW SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'the process died'",
      )
      try {
        await look().catch(() => {})
      } finally {
        await execute(server.db, 'DROP TRIGGER crash')
      }
    }
  },
)
