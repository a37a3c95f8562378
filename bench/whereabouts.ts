import { spawnSync } from 'node:child_process'
import { rmSync } from 'node:fs'
import { dayOf } from '@pendro/core/keeping'
import { trigrams } from '@pendro/core/whereabouts'
import { execute, openDatabase, select, type Database } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { setUp } from '../server/src/set-up.ts'
import { senderText } from '../server/src/whereabouts/index-messages.ts'
import { lookFor } from '../server/src/whereabouts/look.ts'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { atMost, inTurns, ms, type Section } from './measure.ts'

const mailboxes = 2_000
const senders = 20_000
const words = 4_000

/** Five words of a vocabulary, a few of them in much of the mail and most in little of it. */
const subject = `CONCAT_WS(' ', ${[7919, 104729, 1299709, 15485863, 32452843]
  .map(
    (prime, i) =>
      `CONCAT('wo', CONV(100 + FLOOR(POW((seq * ${prime} % ${1_000_003 - i * 2}) / 1000003, 2) * ${words}), 10, 36))`,
  )
  .join(', ')})`
const sender = `(seq * 48271 % ${senders})`
const first = `CONCAT('na', CONV(1000 + ${sender} % 331, 10, 36), 'el')`
const last = `CONCAT('mo', CONV(5000 + ${sender} % 1999, 10, 36), 'ar')`
const address = `CONCAT(${first}, '.', ${last}, '@', CONV(40000 + ${sender} DIV 3, 10, 36), 'haus.example')`
const received = (n: number) =>
  `DATE_SUB(:now, INTERVAL (${n} - seq) * ${Math.floor((93 * 86_400) / n)} SECOND)`

/** `n` deliveries of 93 days, one a message. Gives the time that the deliveries themselves took to import. */
async function fill(db: Database, n: number, now: Date): Promise<number> {
  await migrate(db)
  await setUp(db, {
    organisation: demoOrganisation,
    mailboxes: Array.from({ length: mailboxes }, (_, i) => ({
      address: `colleague${i}@vindholm.example`,
      aliases: [],
      name: `Colleague ${i.toString(36)}`,
      kind: 'person' as const,
      department: 'Deck',
      timeZone: 'Europe/Oslo',
      language: 'en',
    })),
    staffers: [],
  })
  for (const trigger of ['deliveries_counted_in', 'deliveries_counted_on', 'deliveries_counted_out'])
    await execute(db, `DROP TRIGGER ${trigger}`)
  await execute(
    db,
    `INSERT INTO messages (id, direction, received_at, envelope_from, from_name, from_address, subject, size, sender_facts, harm, bulk)
     SELECT seq, 'in', ${received(n)}, ${address}, CONCAT(${first}, ' ', ${last}), ${address}, ${subject}, 4000, '{}', NULL, FALSE FROM seq_1_to_${n}`,
    { now },
  )
  await execute(db, `INSERT INTO message_words SELECT id, CONCAT(subject, ' ', from_name) FROM messages`)
  const began = performance.now()
  await execute(
    db,
    `INSERT INTO deliveries (id, message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, score, left_out,
       from_name, from_address, subject, reasons, attachments, cluster_key, rank_base, rank_score)
     SELECT id, id, 1 + id % ${mailboxes}, 'x', received_at, DATE(received_at), DATE_ADD(received_at, INTERVAL 28 DAY),
       ELT(1 + id % 10, 'quarantined', 'junk', 'inbox', 'inbox', 'inbox', 'inbox', 'inbox', 'aside', 'released', 'discarded'),
       id % 100, id % 7 = 0, from_name, from_address, subject, '[]', 0, MD5(id), id % 100, id % 100 FROM messages`,
  )
  const took = performance.now() - began
  await execute(
    db,
    `INSERT INTO review_counts SELECT received_day, state, LEAST(FLOOR(score / 2), 49), COUNT(*) FROM deliveries GROUP BY 1, 2, 3`,
  )
  await execute(
    db,
    "INSERT INTO known_senders (address, name, words) SELECT DISTINCT from_address, from_name, CONCAT(from_name, ' ', REPLACE(REPLACE(from_address, '@', ' '), '.', ' ')) FROM messages",
  )
  const known = await select<{ id: number; address: string; name: string }>(
    db,
    'SELECT id, address, name FROM known_senders',
  )
  const rows = known.flatMap(({ id, address: from, name }) =>
    trigrams(senderText(name, from)).map(trigram => `('${trigram}', ${id})`),
  )
  for (let i = 0; i < rows.length; i += 5000)
    await execute(db, `INSERT IGNORE INTO sender_trigrams VALUES ${rows.slice(i, i + 5000).join(',')}`)
  for (const table of ['messages', 'deliveries', 'message_words', 'sender_trigrams', 'known_senders'])
    await select(db, `ANALYZE TABLE ${table}`)
  return took
}

/** Questions about real messages of the middle of the time, as a colleague would ask them. */
async function questions(
  db: Database,
  n: number,
): Promise<readonly { from: string; to: string; about: string; when: string }[]> {
  const rows = await select<{ from_name: string; subject: string; name: string; received_at: Date }>(
    db,
    `SELECT d.from_name, d.subject, b.name, d.received_at FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
     WHERE d.id IN (:ids)`,
    { ids: Array.from({ length: 12 }, (_, i) => Math.floor(n * (0.3 + i / 30))) },
  )
  return rows.map(row => ({
    from: row.from_name,
    to: row.name,
    about: row.subject.split(' ').slice(0, 2).join(' '),
    when: dayOf(row.received_at.getTime(), 'Europe/Oslo'),
  }))
}

const bareSql = `SELECT d.id, d.from_name, d.from_address, d.subject, d.received_at, d.state FROM message_words w
  JOIN deliveries d ON d.message_id = w.message_id
  WHERE MATCH (w.words) AGAINST (:query IN BOOLEAN MODE) ORDER BY MATCH (w.words) AGAINST (:query IN BOOLEAN MODE) DESC LIMIT 12`

/** A question against the bare full-text search for its words, and against itself with a twentieth of the mail. */
export async function benchWhereabouts(
  url: (database: string) => string,
  sql: (statement: string) => void,
): Promise<Section> {
  const now = new Date()
  const open = async (name: string, n: number) => {
    sql(`DROP DATABASE IF EXISTS ${name}; CREATE DATABASE ${name}`)
    const db = openDatabase(url(name))
    const imported = await fill(db, n, now)
    const asked = await questions(db, n)
    let right = 0
    const ours = async () => {
      for (const question of asked) {
        const { hits } = await lookFor(db, question, now)
        if (hits[0]?.fromName === question.from && hits[0].to === question.to) right += 1
      }
    }
    const bare = async () => {
      for (const { about } of asked)
        await select(db, bareSql, {
          query: about
            .split(' ')
            .map(word => `+${word}*`)
            .join(' '),
        })
    }
    // The words most mail has: what a full-text search takes longest for.
    const [{ common = '' } = {}] = await select<{ common: string }>(
      db,
      `SELECT w AS common FROM (SELECT SUBSTRING_INDEX(subject, ' ', 1) AS w FROM messages LIMIT 20000) x GROUP BY w ORDER BY COUNT(*) DESC LIMIT 1`,
    )
    const commonAsked = async () => {
      await lookFor(db, { from: asked[0]?.from ?? '', to: '', about: common, when: '' }, now)
    }
    const commonBare = async () => {
      await select(db, bareSql, { query: `+${common}*` })
    }
    await ours()
    const client = () => Promise.resolve(byClient(url(name), asked))
    return { client, commonAsked, commonBare, db, imported, ours, bare, right, asked: asked.length }
  }
  const small = await open('pendro_where_small', 50_000)
  const large = await open('pendro_where', 1_000_000)
  const [ours = 0, bare = 0, atSmall = 0, common = 0, commonBare = 0, client = 0] = await inTurns(
    5,
    large.ours,
    large.bare,
    small.ours,
    large.commonAsked,
    large.commonBare,
    large.client,
  )
  const plan = await select<Record<string, unknown>>(large.db, `EXPLAIN ${bareSql}`, {
    query: '+wo2s* +wo3k*',
  })
  const senderPlan = await select<Record<string, unknown>>(
    large.db,
    `EXPLAIN SELECT m.id FROM messages m WHERE m.from_address IN ('person7@firm2.example') AND m.received_at > '2026-01-01' ORDER BY m.id DESC LIMIT 300`,
  )
  const loaded = await loadTime(large.db, sql)
  await small.db.close()
  await large.db.close()
  const each = large.asked
  return {
    title: 'Whereabouts at 1,000,000 deliveries over 93 days',
    rows: [
      atMost(
        'A question with all its blanks',
        ours / each,
        client / each,
        2,
        'bare full-text SQL for its two words, by the mariadb client',
      ),
      atMost('The same', ours / each, bare / each, 2, 'the same on an open connection'),
      atMost('A question with the commonest word', common, commonBare, 2, 'bare full-text SQL for that word'),
      atMost(
        'The question with all its blanks',
        ours / each,
        atSmall / each,
        1.5,
        'itself at 50,000 deliveries',
      ),
      {
        what: 'Right message first',
        ours: `${large.right} of ${each}`,
        against: `${small.right} of ${each} (at 50,000)`,
        ratio: large.right / Math.max(1, small.right),
        wanted: 'all',
        met: large.right === each,
      },
      {
        what: 'Importing 1,000,000 deliveries with all their keys',
        ours: ms(large.imported),
        against: `${ms(loaded)} (LOAD DATA into the same table)`,
        ratio: loaded / large.imported,
        wanted: 'at least 0.3',
        met: loaded / large.imported >= 0.3,
      },
    ],
    notes: `Plans: full text ${planText(plan)}; messages of senders ${planText(senderPlan)}.`,
  }
}

const planText = (rows: readonly Record<string, unknown>[]) =>
  rows
    .map(
      ({ table, type, key, rows: n }) =>
        `\`${String(table)}\` by ${String(type)} on ${String(key)} (${String(n)} rows)`,
    )
    .join(', ')

/** The same look-up by the mariadb client, a process for each as somebody at a shell would. */
function byClient(url: string, asked: readonly { readonly about: string }[]): void {
  const { hostname, port, username, password, pathname } = new URL(url.replace(/^mariadb:/, 'http:'))
  for (const { about } of asked) {
    const query = about
      .split(' ')
      .map(word => `+${word}*`)
      .join(' ')
    const done = spawnSync(
      'mariadb',
      [
        '--no-defaults',
        `--host=${hostname}`,
        `--port=${port}`,
        `--user=${decodeURIComponent(username)}`,
        `--password=${decodeURIComponent(password)}`,
        pathname.slice(1),
        '-e',
        bareSql.replaceAll(':query', `'${query}'`),
      ],
      { encoding: 'utf8' },
    )
    if (done.status !== 0) throw new Error(done.stderr)
  }
}

/** LOAD DATA of the same rows into an empty table of the same form. */
async function loadTime(db: Database, sql: (statement: string) => void): Promise<number> {
  const [{ folder = '' } = {}] = await select<{ folder: string }>(db, 'SELECT @@datadir AS folder')
  const file = `${folder}deliveries.tsv`
  rmSync(file, { force: true })
  sql(`SELECT * INTO OUTFILE '${file}' FROM pendro_where.deliveries`)
  sql(
    'DROP TABLE IF EXISTS pendro_where.loaded; CREATE TABLE pendro_where.loaded LIKE pendro_where.deliveries',
  )
  const began = performance.now()
  sql(`LOAD DATA INFILE '${file}' INTO TABLE pendro_where.loaded`)
  const took = performance.now() - began
  rmSync(file, { force: true })
  sql('DROP TABLE pendro_where.loaded')
  return took
}
