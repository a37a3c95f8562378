import { fork } from 'node:child_process'
import { once } from 'node:events'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { endingStates } from '@pendro/core/delivery'
import { execute, findRow, select } from '../src/db/database.ts'
import { allModels } from '../src/db/models/index.ts'
import { AwayPeriods } from '../src/db/models/organisation.ts'
import { insert } from '../src/db/rows.ts'
import { inTransaction } from '../src/db/database.ts'
import { expireMailboxAnew } from '../src/deliveries/expiry.ts'
import { askChore } from '../src/jobs/chores.ts'
import { createPace } from '../src/jobs/pace.ts'
import { ends } from '../src/keeping/ends.ts'
import { workEnds } from '../src/keeping/ends-anew.ts'
import { createPurge } from '../src/keeping/purge.ts'
import { arrive, ruling, signedIn, startTestServer, stateOf, type TestServer } from './support.ts'

const day = 86_400_000
const beginning = new Date('2026-11-20T09:00:00.000Z')
const after = (days: number) => new Date(beginning.getTime() + days * day)

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())
beforeEach(() => {
  server.clock.now = beginning
})

/** Purges until there is nothing more to do, as the job would, few at a time, and moves the clock on for the next look. */
async function purge(at: Date, atOnce = 3): Promise<number> {
  server.clock.now = at
  await execute(
    server.db,
    "UPDATE chores SET next_at = '2000-01-01', claimed_until = NULL WHERE name = 'purge'",
  )
  const part = createPurge(server.db, { now: () => server.clock.now, atOnce })
  let gone = 0
  for (let n = await part(); n > 0; n = await part()) gone += n
  return gone
}

/** What is still there of a delivery's message. */
async function contentOf(deliveryId: number): Promise<'all' | 'none'> {
  const row = await findRow<{ n: number }>(
    server.db,
    'SELECT COUNT(*) AS n FROM deliveries d JOIN message_sources s ON s.message_id = d.message_id WHERE d.id = :deliveryId',
    { deliveryId },
  )
  return row?.n === 1 ? 'all' : 'none'
}

/** As if a digest had told of all that waits. */
const told = () => execute(server.db, 'UPDATE deliveries SET digest_id = 1 WHERE digest_id IS NULL')

/** A session of now: the purge has taken those of before. */
const steward = () => signedIn(server, 'oda')

describe('what goes and what stays', () => {
  test('kept-back mail goes when its days are over: the bytes at once, the headers after theirs, the record never', async () => {
    const [id = 0] = await arrive(server)
    const [fresh = 0] = await arrive(server, { subject: 'Of the day after' })
    await execute(server.db, 'UPDATE deliveries SET received_at = :at, expires_at = :end WHERE id = :fresh', {
      at: after(1),
      end: after(29),
      fresh,
    })
    await (await steward()).post('/api/rulings', ruling([id], { learn: 'junk' })).expect(200)
    await told()
    await purge(after(27.9))
    expect(await stateOf(server.db, id)).toBe('quarantined')
    await purge(after(28.1))
    expect([await stateOf(server.db, id), await contentOf(id)]).toEqual(['expired', 'none'])
    expect([await stateOf(server.db, fresh), await contentOf(fresh)]).toEqual(['quarantined', 'all'])
    const { body } = await (await steward()).get(`/api/deliveries/${id}`).expect(200)
    expect(body.row.subject).toBe('A parcel waits')

    await purge(after(28 + 92))
    expect(await stateOf(server.db, id)).toBe('expired')
    await purge(after(28 + 94))
    expect(await stateOf(server.db, id)).toBe('none')
    const left = await Promise.all(
      ['delivery_judgements', 'digest_lines', 'ruling_deliveries', 'entry_matches'].map(table =>
        findRow<{ n: number }>(server.db, `SELECT COUNT(*) AS n FROM ${table} WHERE delivery_id = :id`, {
          id,
        }),
      ),
    )
    expect(left.map(row => row?.n)).toEqual([0, 0, 0, 0])
    const record = await findRow<{ n: number }>(
      server.db,
      'SELECT COUNT(*) AS n FROM record_entries WHERE delivery_id = :id',
      { id },
    )
    expect(record?.n).toBe(1)
  })

  test('a message that somebody else still has keeps its content', async () => {
    const [hers = 0, his = 0] = await arrive(server, {
      to: ['ingrid@harbour.example', 'kari@harbour.example'],
    })
    await told()
    await execute(server.db, 'UPDATE deliveries SET kept_until = :until WHERE id = :his', {
      until: after(200),
      his,
    })
    await purge(after(29))
    expect([await stateOf(server.db, hers), await stateOf(server.db, his)]).toEqual([
      'expired',
      'quarantined',
    ])
    expect(await contentOf(his)).toBe('all')
  })

  test('what an open enquiry asks for stays until it is answered', async () => {
    const [id = 0] = await arrive(server)
    const { body } = await (
      await steward()
    )
      .post('/api/enquiries', {
        mailboxId: server.mailbox('ingrid'),
        how: 'phone',
        words: 'Where is it?',
        question: { from: '', to: '', about: 'parcel', when: '' },
        token: crypto.randomUUID(),
      })
      .expect(200)
    await execute(
      server.db,
      "INSERT INTO enquiry_deliveries (enquiry_id, delivery_id, how, at) VALUES (:enquiry, :id, 'chosen', :at)",
      { enquiry: body.id, id, at: beginning },
    )
    await told()
    await purge(after(60))
    expect(await stateOf(server.db, id)).toBe('quarantined')
    await execute(server.db, "UPDATE enquiries SET state = 'found'")
    await purge(after(60))
    expect(await stateOf(server.db, id)).toBe('expired')
  })

  test('what no digest has told of stays, where there are digests; where there are none it goes', async () => {
    const [told = 0] = await arrive(server, { to: ['ingrid@harbour.example'] })
    const [without = 0] = await arrive(server, { to: ['kari@harbour.example'] })
    await execute(server.db, "UPDATE mailboxes SET digest_weekdays = '[]' WHERE name = 'Kari'")
    await purge(after(29))
    expect([await stateOf(server.db, told), await stateOf(server.db, without)]).toEqual([
      'quarantined',
      'expired',
    ])
    await execute(server.db, 'UPDATE mailboxes SET digest_weekdays = NULL')
  })

  test('each kind has days of its own, by the mailbox or else by the organisation', async () => {
    const [id = 0] = await arrive(server)
    await execute(server.db, "UPDATE mailboxes SET keep_discarded = 7 WHERE name = 'Ingrid'")
    await (await steward()).post('/api/rulings', ruling([id], { message: 'discard' })).expect(200)
    await purge(after(6.9))
    expect(await stateOf(server.db, id)).toBe('discarded')
    await purge(after(7.1))
    expect(await stateOf(server.db, id)).toBe('expired')
    await execute(server.db, 'UPDATE mailboxes SET keep_discarded = NULL')
  })

  test('a noted end that is not true any more removes nothing', async () => {
    const [id = 0] = await arrive(server)
    await told()
    await execute(server.db, 'UPDATE deliveries SET expires_at = :past WHERE id = :id', {
      past: after(-1),
      id,
    })
    await purge(after(2))
    expect(await stateOf(server.db, id)).toBe('quarantined')
    const row = await findRow<{ at: Date }>(
      server.db,
      'SELECT expires_at AS at FROM deliveries WHERE id = :id',
      {
        id,
      },
    )
    expect(row?.at).toEqual(after(28))
  })

  test('somebody who is away loses nothing, also when that is entered two days late', async () => {
    const [id = 0] = await arrive(server)
    await told()
    // Over its days, and not yet purged.
    const { db } = server
    await insert(db, AwayPeriods, [
      { mailbox_id: server.mailbox('ingrid'), from_at: after(26), until_at: after(40) },
    ])
    await inTransaction(db, tx => expireMailboxAnew(db, tx, server.mailbox('ingrid')))
    await purge(after(28.5))
    expect(await stateOf(db, id)).toBe('quarantined')
    await purge(after(40 + 27.9))
    expect(await stateOf(db, id)).toBe('quarantined')
    await purge(after(40 + 28.1))
    expect(await stateOf(db, id)).toBe('expired')
    await execute(db, 'DELETE FROM away_periods')
  })

  test('when the organisation’s days change, what is noted follows, mailbox by mailbox', async () => {
    const [id = 0] = await arrive(server)
    const { db } = server
    await execute(db, "UPDATE organisation SET settings = JSON_SET(settings, '$.keep.quarantined', 14)")
    await inTransaction(db, tx => askChore(db, tx, 'ends', beginning))
    while ((await workEnds(db, beginning)) > 0);
    const row = await findRow<{ at: Date }>(db, 'SELECT expires_at AS at FROM deliveries WHERE id = :id', {
      id,
    })
    expect(row?.at).toEqual(after(14))
    expect(await workEnds(db, after(1))).toBe(0)
    await execute(db, "UPDATE organisation SET settings = JSON_SET(settings, '$.keep.quarantined', 28)")
  })
})

describe('the end of life of every table', () => {
  test('is said of each, and of none that is not there', () => {
    expect(Object.keys(ends).sort()).toEqual(allModels.map(({ table }) => table).sort())
  })

  test('goes by columns there are', () => {
    const columnsOf = new Map(allModels.map(({ table, columns }) => [table, Object.keys(columns)]))
    for (const [table, end] of Object.entries(ends)) {
      const column = 'with' in end ? end.by : 'after' in end ? end.from : null
      if (column !== null) expect([table, columnsOf.get(table)?.includes(column)]).toEqual([table, true])
    }
  })

  test('what is of one delivery or message alone goes with it', () => {
    const own = allModels.flatMap(({ table, columns }) =>
      Object.entries(columns).flatMap(([name, { primary, leadsTo }]) =>
        primary && (leadsTo === 'deliveries' || leadsTo === 'messages') ? [[table, leadsTo, name]] : [],
      ),
    )
    expect(own.length).toBeGreaterThan(10)
    for (const [table = '', parent, by] of own) {
      if (table === 'selection_deliveries') continue
      expect([table, ends[table]]).toEqual([table, { with: parent, by }])
    }
  })

  test('tables that grow by themselves lose what is old and keep what is not', async () => {
    const { db } = server
    await execute(
      db,
      "INSERT INTO live_events (at, kind, by_name) VALUES (:old, 'digest', 'old'), (:new, 'digest', 'new')",
      {
        old: after(97),
        new: after(99.5),
      },
    )
    await execute(
      db,
      `INSERT INTO outbox (kind, subject_id, place, next_at, done_at) VALUES
         ('letter', 9001, '1', :old, :old), ('letter', 9002, '1', :old, NULL), ('letter', 9003, '1', :new, :new)`,
      { old: after(80), new: after(95) },
    )
    await purge(after(100))
    const events = await select<{ by_name: string }>(
      db,
      "SELECT by_name FROM live_events WHERE by_name IN ('old', 'new')",
    )
    expect(events.map(row => row.by_name)).toEqual(['new'])
    const jobs = await select<{ id: number }>(
      db,
      'SELECT subject_id AS id FROM outbox WHERE subject_id > 9000 ORDER BY id',
    )
    expect(jobs.map(({ id }) => Number(id))).toEqual([9002, 9003])
  })

  test('the last digest of a mailbox stays: the next one begins where it ended', async () => {
    const { db } = server
    await execute(db, 'DELETE FROM digests')
    await execute(
      db,
      `INSERT INTO digests (mailbox_id, since, cut, listed, left_out, state, source) VALUES
        (1, :a, :b, 1, 0, 'sent', ''), (1, :b, :c, 1, 0, 'sent', ''), (2, :a, :b, 1, 0, 'sent', '')`,
      { a: after(-300), b: after(-299), c: after(-298) },
    )
    await purge(after(0))
    const left = await select<{ mailbox_id: number; cut: Date }>(
      db,
      'SELECT mailbox_id, cut FROM digests ORDER BY mailbox_id',
    )
    expect(left.map(({ mailbox_id, cut }) => [mailbox_id, cut])).toEqual([
      [1, after(-298)],
      [2, after(-299)],
    ])
  })
})

describe('killed at any moment', () => {
  /** Deliveries of the days before, some held by each thing that holds; the ids that have to go. */
  async function fill(count: number): Promise<ReadonlySet<number>> {
    const { db } = server
    const [model = 0] = await arrive(server)
    const first = (await findRow<{ id: number }>(db, 'SELECT MAX(id) + 1 AS id FROM deliveries'))?.id ?? 1
    await execute(
      db,
      `INSERT INTO deliveries (message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, score, left_out,
         from_name, from_address, subject, reasons, attachments, cluster_key, digest_id, kept_until)
       SELECT 1000000 + s.seq, d.mailbox_id, '', :now - INTERVAL s.seq MINUTE, d.received_day, :now - INTERVAL s.seq MINUTE + INTERVAL 28 DAY,
         ELT(1 + s.seq % 4, 'junk', 'quarantined', 'sealed', 'discarded'), d.score, d.left_out, d.from_name, d.from_address, d.subject,
         d.reasons, 0, d.cluster_key, IF(s.seq % 7 = 0, NULL, 1), IF(s.seq % 11 = 0, :later, NULL)
       FROM deliveries d JOIN seq_1_to_${count} s WHERE d.id = :model`,
      { now: beginning, later: after(300), model },
    )
    await execute(db, 'DELETE FROM deliveries WHERE id = :model', { model })
    await execute(db, 'DELETE FROM message_sources')
    await execute(
      db,
      "INSERT INTO message_sources (message_id, gzip) SELECT message_id, 'bytes' FROM deliveries WHERE id >= :first",
      { first },
    )
    const rows = await select<{
      id: number
      state: string
      digest_id: number | null
      kept_until: Date | null
    }>(db, 'SELECT id, state, digest_id, kept_until FROM deliveries WHERE id >= :first', { first })
    expect(new Set(rows.map(({ state }) => state))).toEqual(new Set(endingStates))
    return new Set(
      rows
        .filter(({ kept_until }) => kept_until === null)
        .filter(({ state, digest_id }) => digest_id !== null || state === 'sealed' || state === 'discarded')
        .map(({ id }) => id),
    )
  }

  /** Runs the purge in a process of its own and kills it after a while, so hard that it can't say goodbye; whether it had come to its end. */
  async function purgeAndKill(milliseconds: number): Promise<boolean> {
    const child = fork(new URL('purge-process.ts', import.meta.url), {
      env: { ...process.env, DATABASE_URL: server.url, NOW: after(29).toISOString() },
      execArgv: ['--import', 'tsx'],
    })
    let done = false
    child.on('message', message => {
      if (message === 'begun') setTimeout(() => child.kill('SIGKILL'), milliseconds)
      if (message === 'done') done = true
    })
    await once(child, 'exit')
    return done
  }

  test(
    'exactly the right ones are gone at the end, and counted',
    { timeout: process.env.PENDRO_PURGE ? 3_600_000 : 600_000 },
    async () => {
      const { db } = server
      await execute(db, 'DELETE FROM deliveries')
      // More of both by hand: PENDRO_PURGE=100000,10.
      const [count = 4000, kills = 4] = process.env.PENDRO_PURGE?.split(',').map(Number) ?? []
      const wanted = await fill(count)
      expect(wanted.size).toBeGreaterThan(count / 2)
      let ended = 0
      for (let kill = 0; kill < kills; kill += 1) {
        const done = await purgeAndKill(30 + ((kill * 137) % 400) * Math.max(1, count / 20_000))
        if (done) ended += 1
        const gone = await select<{ id: number }>(db, "SELECT id FROM deliveries WHERE state = 'expired'")
        expect(gone.filter(({ id }) => !wanted.has(id))).toEqual([])
        // A killed process holds the work for a minute; the next one need not wait for that here.
        await execute(
          db,
          "UPDATE chores SET claimed_until = NULL, next_at = '2000-01-01' WHERE name = 'purge'",
        )
      }
      expect(ended).toBeLessThan(kills)
      await purge(after(29), 200)
      const gone = await select<{ id: number }>(db, "SELECT id FROM deliveries WHERE state = 'expired'")
      expect(gone.length).toBe(wanted.size)
      expect(gone.every(({ id }) => wanted.has(id))).toBe(true)
      const bytes = await findRow<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM message_sources')
      expect(bytes?.n).toBe(count - wanted.size)
      const counted = await findRow<{ n: number }>(
        db,
        "SELECT SUM(n) AS n FROM review_counts WHERE state = 'expired'",
      )
      const really = await findRow<{ n: number }>(
        db,
        "SELECT COUNT(*) AS n FROM deliveries WHERE state = 'expired'",
      )
      expect(Number(counted?.n)).toBe(Number(really?.n))
    },
  )

  test('two processes do not do it at the same time, and a dead one’s work is taken up', async () => {
    const { db } = server
    await execute(
      db,
      "UPDATE chores SET claimed_until = :until, next_at = '2000-01-01' WHERE name = 'purge'",
      {
        until: after(0.001),
      },
    )
    const part = createPurge(db, { now: () => server.clock.now })
    expect(await part()).toBe(0)
    const before = await findRow<{ at: Date | null }>(
      db,
      "SELECT claimed_until AS at FROM chores WHERE name = 'purge'",
    )
    expect(before?.at).toEqual(after(0.001))
    server.clock.now = after(1)
    await part()
    const now = await findRow<{ at: Date | null }>(
      db,
      "SELECT claimed_until AS at FROM chores WHERE name = 'purge'",
    )
    expect(now?.at).toBeNull()
  })
})

describe('standing back for people', () => {
  const paceAt = () => {
    const clock = { now: 1_000_000 }
    const rests: number[] = []
    const pace = createPace(
      () => clock.now,
      ms => {
        rests.push(ms)
        return Promise.resolve()
      },
    )
    return { clock, rests, pace }
  }

  test('rests not at all where nobody is there', async () => {
    const { clock, rests, pace } = paceAt()
    pace.answered(20)
    clock.now += 60_000
    await pace.rest(50)
    expect(rests).toEqual([])
  })

  test('rests no longer than until the process stops, and not at all from then on', async () => {
    let rests = 0
    const pace = createPace(
      () => 0,
      async (_, signal) => {
        rests += 1
        if (!signal.aborted) await once(signal, 'abort')
      },
    )
    pace.answered(20)
    const rest = pace.rest(50)
    pace.stop()
    await rest
    pace.answered(20)
    await pace.rest(50)
    expect(rests).toBe(2)
  })

  test('rests longer than it works where people are, and far longer where they wait longer than usual', async () => {
    const { clock, rests, pace } = paceAt()
    for (let i = 0; i < 40; i += 1) pace.answered(20)
    await pace.rest(50)
    clock.now += 20_000
    for (let i = 0; i < 20; i += 1) pace.answered(200)
    await pace.rest(50)
    expect(rests).toEqual([1500, 3000])
    // It goes on being slow without any work beside it: that is what is usual now.
    clock.now += 60_000
    for (let i = 0; i < 200; i += 1) pace.answered(200)
    await pace.rest(50)
    expect(rests).toEqual([1500, 3000, 1500])
  })
})
