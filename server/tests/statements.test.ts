import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { execute, findRow, openDatabase, select, type Database } from '../src/db/database.ts'
import { Correspondence, CorrespondenceDomains, SendersSeen, Words } from '../src/db/models/learning.ts'
import { insert } from '../src/db/rows.ts'
import { takeIn } from '../src/intake/intake.ts'
import { arrive, gateway, ruling, sample, signedIn, startTestServer, type TestServer } from './support.ts'

/** How many statements `work` sends to the database. */
async function statementsOf(db: Database, work: () => Promise<unknown>): Promise<number> {
  let n = 0
  const { options } = db as unknown as { options: { logging: false | (() => void) } }
  options.logging = () => {
    n += 1
  }
  try {
    await work()
  } finally {
    options.logging = false
  }
  return n
}

describe('taking a message in costs the same whatever came before', () => {
  let server: TestServer
  // One connection: its own counters of rows read are those of the work. Work that asked for a second one would hang.
  let db: Database
  beforeAll(async () => {
    server = await startTestServer()
    db = openDatabase(server.url, { poolSize: 1 })
  })
  afterAll(async () => {
    await db.close()
    await server.close()
  })

  const rowsRead = async () => {
    const rows = await select<{ Value: string }>(db, "SHOW SESSION STATUS LIKE 'Handler_read%'")
    return rows.reduce((sum, { Value }) => sum + Number(Value), 0)
  }
  const take = () =>
    takeIn(db, [
      {
        raw: sample({
          from: `Anna <anna@partner.example>`,
          // Long enough to be compared with others, and like none.
          body: `<p>${Array.from({ length: 20 }, () => randomUUID().replace(/\d/g, 'x').replaceAll('-', '')).join(' ')}</p>`,
        }),
        envelopeFrom: 'anna@partner.example',
        recipients: ['ingrid@harbour.example'],
        receivedAt: server.clock.now,
        connection: gateway,
      },
    ])
  async function cost() {
    const before = await rowsRead()
    const statements = await statementsOf(db, take)
    return { statements, rows: (await rowsRead()) - before }
  }

  test('statements and rows read, before and after thousands of letters, senders, words and entries', async () => {
    for (let i = 0; i < 5; i += 1) await take()
    const early = await cost()
    const many = Array.from({ length: 6000 }, (_, i) => i)
    const mailbox = server.mailbox('ingrid')
    await insert(
      db,
      Correspondence,
      many.map(i => ({ address: `p${i}@d${i}.example`, mailbox_id: mailbox, domain: `d${i}.example`, n: 2 })),
    )
    await insert(
      db,
      CorrespondenceDomains,
      many.map(i => ({ domain: `d${i}.example`, n: 2 })),
    )
    await insert(
      db,
      SendersSeen,
      many.map(i => ({ sender: `p${i}@d${i}.example`, n: 3 })),
    )
    await insert(
      db,
      Words,
      many.map(i => ({ word: `word${i}`, wanted: 1, junk: 1 })),
    )
    for (let i = 0; i < 300; i += 1) await take()
    await select(
      db,
      'ANALYZE TABLE correspondence, correspondence_domains, senders_seen, words, messages, deliveries',
    )
    const late = await cost()
    expect(late.statements).toBe(early.statements)
    // The shortlist of frequent domains has a bound of its own; nothing else may have grown.
    expect(late.rows).toBeLessThan(early.rows + 1000)
    expect(early.rows).toBeGreaterThan(10)
  })
})

describe('messages that are stored together share their statements', () => {
  let server: TestServer
  beforeAll(async () => {
    server = await startTestServer()
  })
  afterAll(() => server.close())

  const letters = (n: number) =>
    Array.from({ length: n }, () => ({
      raw: sample({ from: `Anna <${randomUUID()}@partner.example>`, body: `<p>${randomUUID()}</p>` }),
      envelopeFrom: 'anna@partner.example',
      recipients: ['ingrid@harbour.example'],
      receivedAt: server.clock.now,
      connection: gateway,
    }))

  test('a message of thirty-two costs less than two statements, a message alone some forty', async () => {
    await takeIn(server.db, letters(1))
    const alone = await statementsOf(server.db, () => takeIn(server.db, letters(1)))
    const together = await statementsOf(server.db, () => takeIn(server.db, letters(32)))
    expect(alone).toBeLessThanOrEqual(40)
    expect(together / 32).toBeLessThan(2)
    // What is kept in memory is not read again: the number does not depend on what was asked before.
    expect(await statementsOf(server.db, () => takeIn(server.db, letters(1)))).toBe(alone)
  })

  test('a change of the settings counts for the next message, whoever made it', async () => {
    const other = openDatabase(server.url, { poolSize: 1 })
    try {
      await takeIn(server.db, letters(1))
      await execute(other, "UPDATE organisation SET settings = JSON_SET(settings, '$.keep.quarantined', 99)")
      const [taken] = await takeIn(server.db, letters(1))
      const row = await findRow<{ days: number }>(
        server.db,
        'SELECT DATEDIFF(expires_at, received_at) AS days FROM deliveries WHERE message_id = :id',
        { id: taken?.messageId },
      )
      expect(row?.days).toBe(99)
    } finally {
      await other.close()
    }
  })
})

describe('a ruling on many deliveries holds its locks for few statements', () => {
  let server: TestServer
  beforeAll(async () => {
    server = await startTestServer()
  })
  afterAll(() => server.close())

  test.each(['release', 'discard'])(
    '%s: forty cost hardly more than four, done and undone',
    async message => {
      const per = await signedIn(server, 'per')
      const cost = async (n: number) => {
        const ids: number[] = []
        for (let i = 0; i < n; i += 1) ids.push(...(await arrive(server)))
        let rulingId = 0
        const done = await statementsOf(server.db, async () => {
          const answer = await per.post(
            '/api/rulings',
            ruling(ids, { message, learn: message === 'release' ? 'wanted' : 'junk' }),
          )
          expect(answer.status).toBe(200)
          rulingId = answer.body.id
        })
        const undone = await statementsOf(server.db, async () => {
          const { status, body } = await per.post(`/api/rulings/${rulingId}/undo`, {})
          expect(status).toBe(200)
          expect(body.deliveries).toHaveLength(n)
          expect(new Set(body.deliveries.map(({ state }: { state: string }) => state))).toEqual(
            new Set(['quarantined']),
          )
        })
        return { done, undone }
      }
      const [few, many] = [await cost(4), await cost(40)]
      expect(many.done).toBeLessThanOrEqual(few.done + 4)
      expect(many.undone).toBeLessThanOrEqual(few.undone + 4)
    },
  )
})
