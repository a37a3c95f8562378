import { demoOrganisation } from '../scripts/fill-demo.ts'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import {
  execute,
  findRow,
  inTransaction,
  openDatabase,
  select,
  type Database,
} from '../server/src/db/database.ts'
import { migrate, migrations } from '../server/src/db/migrate.ts'
import { createPace } from '../server/src/jobs/pace.ts'
import { createPurge, usualPart } from '../server/src/keeping/purge.ts'
import type { OrganisationDefaults } from '@pendro/contract'
import { defaultsEffect, readDefaultsOf } from '../server/src/mailboxes/defaults.ts'
import { effectOf } from '../server/src/mailboxes/effect.ts'
import { setUp } from '../server/src/set-up.ts'
import { startAsking } from './asking.ts'
import { atMost, inTurns, median, ms, type Measured, type Section } from './measure.ts'
import { p95 } from './served.ts'

const mailboxes = 50_000
const deliveries = 1_000_000
/** What the colleague with the most mail gets in a month. */
const busy = 5000
/** Of the purge: so many by us and as many by bare statements, in turns. */
const purged = 40_000
const turns = 4

/** Numbered as it came in: the oldest first, of two months ago; then a month's, with the busy colleague's between them. */
const ofMonth = { id: '(100000 + 2 * seq)', ago: `((${deliveries} - seq) * 2)` }
const ofBusy = { id: '(100001 + 400 * seq)', ago: `((${deliveries} - 200 * seq) * 2)` }

const counting = (migrations['0001-first'] ?? []).filter(text => /TRIGGER deliveries_counted/.test(text))

const columns = `(id, message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, score, left_out,
  from_name, from_address, subject, reasons, attachments, cluster_key, rank_base, rank_score, points, digest_id)`

export async function fillMillion(db: Database, now: Date): Promise<void> {
  await migrate(db)
  await setUp(db, {
    organisation: demoOrganisation,
    mailboxes: [
      {
        address: 'busy@vindholm.example',
        aliases: [],
        name: 'Busy',
        kind: 'person',
        department: 'Deck',
        timeZone: 'Europe/Oslo',
        language: 'en',
      },
    ],
    staffers: demoStaffers,
  })
  for (const text of counting) await execute(db, `DROP TRIGGER ${/TRIGGER (\w+)/.exec(text)?.[1]}`)
  await execute(
    db,
    `INSERT INTO mailboxes (id, address, name, kind, department, time_zone, language)
     SELECT seq, CONCAT('c', seq, '@vindholm.example'), CONCAT('Colleague ', MD5(seq)), 'person', CONCAT('Deck ', seq % 40), 'Europe/Oslo', 'en'
     FROM seq_2_to_${mailboxes}`,
  )
  const state = `ELT(1 + seq % 10, 'quarantined', 'junk', 'inbox', 'inbox', 'inbox', 'inbox', 'inbox', 'aside', 'released', 'discarded')`
  await execute(
    db,
    `INSERT INTO deliveries ${columns}
     SELECT ${ofMonth.id}, ${ofMonth.id}, 2 + (seq * 48271) % ${mailboxes - 1}, '', :now - INTERVAL ${ofMonth.ago} SECOND, DATE(:now - INTERVAL ${ofMonth.ago} SECOND),
       :now - INTERVAL ${ofMonth.ago} SECOND + INTERVAL 28 DAY, ${state}, seq % 100, 0, 'n', 'a@x.example', 's', '[]', 0, MD5(seq), 0, 0,
       ELT(1 + seq % 3, 'wanted', 'doubt', 'against'), 1
     FROM seq_1_to_${deliveries}`,
    { now },
  )
  await execute(
    db,
    `INSERT INTO sender_profiles (hash, facts) SELECT SHA2(seq, 256), CONCAT('{"from":[{"local":"a', seq, '","tag":null,"domain":"x', seq % 90,
       '.example"}],"envelopeFrom":null,"sender":null,"listId":null,"authentication":{"dmarc":null,"spf":null,"dkim":[],"by":"nobody"}}')
     FROM seq_1_to_400`,
  )
  for (const { id, ago, count } of [
    { ...ofMonth, count: deliveries },
    { ...ofBusy, count: busy },
  ])
    await execute(
      db,
      `INSERT INTO messages (id, direction, received_at, envelope_from, from_name, from_address, subject, size, sender_facts, harm, bulk, profile_id)
       SELECT ${id}, 'in', :now - INTERVAL ${ago} SECOND, '', 'n', 'a@x.example', 's', 1000, '{}', NULL, seq % 5 = 0,
         (SELECT MIN(id) FROM sender_profiles) + seq % 400 FROM seq_1_to_${count}`,
      { now },
    )
  await execute(
    db,
    `INSERT INTO deliveries ${columns}
     SELECT id, id, 1, '', received_at, DATE(received_at), received_at + INTERVAL 28 DAY, IF(id % 100 < 40, 'inbox', 'quarantined'), id % 100, 0, 'n',
       'a@x.example', 's', '[]', 0, MD5(id), 0, 0, 'doubt', 1 FROM messages WHERE id % 2 = 1`,
  )
  await execute(
    db,
    `INSERT INTO deliveries ${columns}
     SELECT seq, seq, 2 + seq % ${mailboxes - 1}, '', :now - INTERVAL 60 DAY, DATE(:now - INTERVAL 60 DAY),
       IF(seq % 2, :now - INTERVAL 32 DAY, :now + INTERVAL 900 DAY), 'quarantined', 60, 0, 'n', 'a@x.example', 's', '[]', 0, MD5(seq), 0, 0, 'doubt', 1
     FROM seq_1_to_${2 * purged}`,
    { now },
  )
  for (const [table, value] of [
    ['message_sources (message_id, gzip)', "REPEAT('x', 900)"],
    ['message_readings (message_id, gzip)', "REPEAT('y', 700)"],
    ['message_words (message_id, words)', "CONCAT('word', message_id % 5000, ' other', message_id % 977)"],
  ])
    await execute(
      db,
      `INSERT INTO ${table} SELECT message_id, ${value} FROM deliveries WHERE id <= ${2 * purged}`,
    )
  await execute(db, "UPDATE mailboxes SET department = 'Pier' WHERE id % 100 = 7")
  await execute(db, "UPDATE staffers SET departments = '[\"Pier\"]' WHERE sign_in = 'per'")
  await execute(
    db,
    'INSERT INTO review_counts SELECT received_day, state, LEAST(FLOOR(score / 2), 49), COUNT(*) FROM deliveries GROUP BY 1, 2, 3',
  )
  for (const text of counting) await execute(db, text)
  for (const table of ['mailboxes', 'deliveries', 'messages']) await select(db, `ANALYZE TABLE ${table}`)
}

const keptSql = "d.state IN ('junk', 'quarantined')"
const bare = {
  name: `SELECT b.*, (SELECT COUNT(*) FROM deliveries d WHERE d.mailbox_id = b.id AND ${keptSql}) AS kept,
      (SELECT COUNT(*) FROM deliveries d WHERE d.mailbox_id = b.id AND d.state = 'released' AND d.received_at >= NOW() - INTERVAL 30 DAY) AS released,
      (SELECT COUNT(*) FROM deliveries d WHERE d.mailbox_id = b.id AND d.state IN ('junk', 'quarantined', 'sealed', 'discarded')
        AND d.expires_at <= NOW() + INTERVAL 3 DAY AND d.points = 'wanted') AS going
    FROM mailboxes b ORDER BY b.name, b.id LIMIT 60`,
  kept: `SELECT b.*, k.n FROM mailboxes b LEFT JOIN (SELECT d.mailbox_id, COUNT(*) AS n FROM deliveries d WHERE ${keptSql} GROUP BY d.mailbox_id) k
    ON k.mailbox_id = b.id ORDER BY k.n DESC, b.id LIMIT 60`,
} as const

/** What stands above the table. */
const beside = [
  'SELECT COUNT(*) AS n FROM mailboxes',
  "SELECT DISTINCT department FROM mailboxes WHERE department <> '' ORDER BY department",
]

async function tableRows(db: Database, get: (path: string) => Promise<unknown>): Promise<Measured[]> {
  const rows: Measured[] = []
  for (const order of ['name', 'kept'] as const) {
    const [ours = 0, against = 1] = await inTurns(
      5,
      () => get(`/api/mailboxes/table?order=${order}`),
      () => Promise.all([bare[order], ...beside].map(text => select(db, text))),
    )
    rows.push(
      atMost(
        `Table of mailboxes, by ${order}, first page`,
        ours,
        against,
        2,
        'bare SQL for its rows, their counts, the total and the departments',
      ),
    )
  }
  return rows
}

/** Lists of whoever looks after a department of a hundredth of all mailboxes. */
async function scopeRows(db: Database): Promise<Measured[]> {
  const { get, stop } = await startAsking(db, 'per')
  const theirs = await select<{ id: number }>(db, "SELECT id FROM mailboxes WHERE department = 'Pier'")
  const ids = theirs.map(({ id }) => id)
  const rows: Measured[] = []
  for (const [order, by] of [
    ['wanted', 'd.score, d.id'],
    ['newest', 'd.received_at DESC, d.id DESC'],
  ] as const) {
    const [ours = 0, against = 1] = await inTurns(
      5,
      () => get(`/api/review?order=${order}&limit=100&days=30`),
      () =>
        select(
          db,
          `SELECT d.* FROM deliveries d WHERE d.mailbox_id IN (:ids) AND d.state IN ('quarantined', 'junk', 'sealed')
           AND d.received_day >= CURDATE() - INTERVAL 30 DAY ORDER BY ${by} LIMIT 100`,
          { ids },
        ),
    )
    rows.push(
      atMost(
        `Review page of a department of ${ids.length} mailboxes, ${order} first`,
        ours,
        against,
        3,
        'bare SQL for the rows of its mailboxes',
      ),
    )
  }
  await stop()
  return rows
}

/** Lets a part go by bare statements over the same tables, batch by batch. */
async function bareParts(db: Database, from: number, count: number): Promise<number> {
  const began = performance.now()
  for (let done = 0; done < count; done += usualPart) {
    const ids = Array.from({ length: Math.min(usualPart, count - done) }, (_, i) => 2 * (from + done + i + 1))
    await inTransaction(db, async tx => {
      await execute(db, "UPDATE deliveries SET state = 'expired' WHERE id IN (:ids)", { ids }, tx)
      for (const table of ['message_sources', 'message_readings', 'message_words'])
        await execute(db, `DELETE FROM ${table} WHERE message_id IN (:ids)`, { ids }, tx)
    })
  }
  return performance.now() - began
}

const due = "UPDATE chores SET claimed_until = NULL, next_at = '2000-01-01' WHERE name = 'purge'"

async function purgeRows(db: Database, now: Date): Promise<Measured[]> {
  const each = purged / turns
  const ours: number[] = []
  const theirs: number[] = []
  const heaps: number[] = []
  await execute(db, due)
  const part = createPurge(db, { now: () => now })
  // What is due of the other mail goes first, so that each turn has the same to do.
  for (let turn = 0; turn < turns; turn += 1) {
    let gone = 0
    const began = performance.now()
    while (gone < each) {
      const n = await part()
      if (n === 0) break
      gone += n
    }
    ours.push((performance.now() - began) / gone)
    theirs.push((await bareParts(db, turn * each, each)) / each)
    globalThis.gc?.()
    heaps.push(process.memoryUsage().heapUsed)
  }
  const [mine, bareOnes] = [1000 / median(ours), 1000 / median(theirs)]
  const [first = 1, last = 1] = [heaps[0], heaps.at(-1)]
  return [
    {
      what: `Purge, deliveries a second, ${purged.toLocaleString('en')} of them`,
      ours: mine.toFixed(0),
      against: `${bareOnes.toFixed(0)} (bare batches over the same tables)`,
      ratio: mine / bareOnes,
      wanted: 'at least 0.5',
      met: mine / bareOnes >= 0.5,
    },
    {
      what: 'Heap at the end of it',
      ours: `${(last / 2 ** 20).toFixed(0)} MB`,
      against: `${(first / 2 ** 20).toFixed(0)} MB (after a quarter)`,
      ratio: last / first,
      wanted: 'at most 1.2',
      met: last / first <= 1.2,
    },
  ]
}

/** Enough for a purge to have had some turns beside them. */
const asked = 500

/** Answers while the purge stands back for them, against answers at rest. */
async function whilePurging(
  db: Database,
  get: (path: string) => Promise<unknown>,
  now: Date,
): Promise<Measured> {
  const pace = createPace()
  const ask = async () => {
    const began = performance.now()
    await get('/api/review')
    const took = performance.now() - began
    pace.answered(took)
    return took
  }
  const times = async (n: number) => {
    const all: number[] = []
    for (let i = 0; i < n; i += 1) all.push(await ask())
    return all
  }
  await times(150)
  const rest = await times(asked)
  await execute(
    db,
    `UPDATE deliveries SET expires_at = :past, state = 'quarantined' WHERE id <= ${2 * purged}`,
    {
      past: new Date(now.getTime() - 86_400_000),
    },
  )
  await execute(db, due)
  const part = createPurge(db, { now: () => now, pace })
  let stop = false
  let gone = 0
  const purging = (async () => {
    while (!stop) gone += await part()
  })()
  const busyTimes = await times(asked)
  stop = true
  await purging
  return {
    ...atMost('Review page while it purges, p95', p95(busyTimes), p95(rest), 1.5, 'p95 at rest'),
    what: `Review page while it purges (${gone.toLocaleString('en')} gone meanwhile), p95 of ${asked}`,
  }
}

/** A limit of everybody moved: the whole month decided again, part by part, against reading the same rows once. */
async function organisationRow(
  db: Database,
  to: OrganisationDefaults['limits'],
  now: Date,
): Promise<Measured> {
  const was = (await readDefaultsOf(db)).defaults.limits
  let decided = 0
  const whole = async () => {
    decided = 0
    let before: number | null = null
    do {
      const { replay } = await defaultsEffect(db, { what: 'limits', was, to }, now, { before })
      decided += replay?.part?.decided ?? 0
      before = replay?.part?.next ?? null
    } while (before !== null)
  }
  const between = (['junk', 'quarantined', 'nearCertain'] as const)
    .map(name => `(d.score >= ${was[name]}) <> (d.score >= ${to[name]})`)
    .join(' OR ')
  const pass = () =>
    select(
      db,
      `SELECT d.id, d.message_id, d.mailbox_id, m.profile_id, m.bulk, m.unreadable, m.harm, d.state, m.called, d.rule_holds, d.rule_places, d.score
       FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.received_at >= :since AND (${between})`,
      { since: new Date(now.getTime() - 30 * 86_400_000) },
    )
  const [ours = 0, against = 1] = await inTurns(1, whole, pass)
  return atMost(
    `A limit of everybody moved: ${decided.toLocaleString('en')} of a month’s deliveries decided again`,
    ours,
    against,
    3,
    'one pass over the same rows',
  )
}

/** The table of mailboxes, a limit moved, and the purge: 50,000 mailboxes, a million deliveries. */
export async function benchMailboxes(
  url: (database: string) => string,
  sql: (text: string) => unknown,
): Promise<Section> {
  sql('DROP DATABASE IF EXISTS pendro_boxes; CREATE DATABASE pendro_boxes')
  const db = openDatabase(url('pendro_boxes'))
  const now = new Date()
  await fillMillion(db, now)
  const { get, stop } = await startAsking(db)
  const rows = await tableRows(db, get)
  const limits = { junk: 30, quarantined: 55, nearCertain: 90 }
  const [replay = 0] = await inTurns(5, () => effectOf(db, 1, { what: 'limits', was: null, to: limits }, now))
  const looked = await findRow<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM deliveries WHERE mailbox_id = 1')
  rows.push({
    what: `A limit moved: one mailbox’s month of ${(looked?.n ?? 0).toLocaleString('en')} decided again`,
    ours: ms(replay),
    against: '150 ms (limit)',
    ratio: replay / 150,
    wanted: 'at most 1',
    met: replay <= 150,
  })
  rows.push(await organisationRow(db, limits, now))
  rows.push(...(await scopeRows(db)))
  rows.push(...(await purgeRows(db, now)))
  rows.push(await whilePurging(db, get, now))
  await stop()
  await db.close()
  return {
    title: 'Mailboxes: 50,000 of them, 1,000,000 deliveries',
    rows,
    notes:
      'The purge is of 40,000 deliveries and not of a million, in four turns with as many by bare statements: state, bytes, reading and words, the same number in a transaction. ' +
      'Ours claims the work, works each end out anew, asks for open enquiries and other mailboxes that have the message, and tells open screens. ' +
      'Deciding with 200 rules in a mailbox is measured with the judgement.',
  }
}
