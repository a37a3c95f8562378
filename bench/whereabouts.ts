import { rmSync } from 'node:fs'
import { dayOf } from '@pendro/core/calendar'
import { openDatabase, select, type Database } from '../server/src/db/database.ts'
import { lookFor } from '../server/src/whereabouts/look.ts'
import { byClient } from './client.ts'
import { fillMail } from './million.ts'
import { atMost, inTurns, ms, planText, type Section } from './measure.ts'

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
    const imported = await fillMail(db, n, now)
    const asked = await questions(db, n)
    let right = 0
    const ours = async () => {
      for (const question of asked) {
        const { hits } = await lookFor(db, null, question, now)
        if (hits[0]?.fromName === question.from && hits[0].to === question.to) right += 1
      }
    }
    const bare = async () => {
      for (const { about } of asked) await select(db, bareSql, { query: queryOf(about) })
    }
    // The words most mail has: what a full-text search takes longest for.
    const [{ common = '' } = {}] = await select<{ common: string }>(
      db,
      `SELECT w AS common FROM (SELECT SUBSTRING_INDEX(subject, ' ', 1) AS w FROM messages LIMIT 20000) x GROUP BY w ORDER BY COUNT(*) DESC LIMIT 1`,
    )
    const commonAsked = async () => {
      await lookFor(db, null, { from: asked[0]?.from ?? '', to: '', about: common, when: '' }, now)
    }
    const commonBare = async () => {
      await select(db, bareSql, { query: `+${common}*` })
    }
    await ours()
    const client = () => lookUpByClient(url(name), asked)
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
        `bare full-text SQL for its two words, by the mariadb client; ${ms(bare / each)} on an open connection`,
      ),
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
    notes: `Both have a sender for every 50 messages and a colleague for every 500, so that a question finds as much in either. Plans: full text ${planText(plan)}; messages of senders ${planText(senderPlan)}.`,
  }
}

/** The same look-ups by the mariadb client. */
async function lookUpByClient(url: string, asked: readonly { readonly about: string }[]): Promise<void> {
  for (const { about } of asked) byClient(url, bareSql.replaceAll(':query', `'${queryOf(about)}'`))
}

const queryOf = (about: string) =>
  about
    .split(' ')
    .map(word => `+${word}*`)
    .join(' ')

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
