import { findReading, readMessage } from '../mail/reading.ts'
import type { SenderFacts } from '@pendro/core/senders'
import { execute, insert, select, type Database, type Tx } from '../db/database.ts'
import { seenKeys } from '../mail/knowledge.ts'

export type Verdict = 'wanted' | 'junk' | 'phishing'

interface Lesson {
  readonly verdict: Verdict
  readonly words: readonly string[]
  readonly senders: readonly string[]
}

/** Learns from messages that people ruled on; what was learned is kept with the ruling, word by word. */
export async function learn(
  db: Database,
  tx: Tx,
  rulingId: number,
  verdict: Verdict,
  messageIds: readonly number[],
): Promise<void> {
  const rows = await select<{ id: number; sender_facts: SenderFacts }>(
    db,
    'SELECT m.id, m.sender_facts FROM messages m JOIN message_sources s ON s.message_id = m.id WHERE m.id IN (:messageIds) ORDER BY m.id',
    { messageIds: [...new Set(messageIds)] },
    tx,
  )
  for (const row of rows) {
    const reading = await findReading(db, row.id, readMessage, tx)
    const lesson: Lesson = {
      verdict,
      words: reading?.words ?? [],
      senders: row.sender_facts.from[0] ? seenKeys(row.sender_facts.from[0]) : [],
    }
    await insert(db, 'lessons', [{ ruling_id: rulingId, message_id: row.id, ...lesson }], tx)
    await apply(db, tx, lesson, 1)
  }
  await callMessages(db, tx, messageIds)
}

/** What a person last said of each message is kept with it, where a replay reads it. */
async function callMessages(db: Database, tx: Tx, messageIds: readonly number[]): Promise<void> {
  const ids = [...new Set(messageIds)].filter(id => id > 0).sort((a, b) => a - b)
  if (ids.length === 0) return
  await execute(
    db,
    `UPDATE messages m SET called = (
       SELECT IF(l.verdict = 'wanted', 'wanted', 'junk') FROM lessons l WHERE l.message_id = m.id ORDER BY l.id DESC LIMIT 1)
     WHERE m.id IN (:ids)`,
    { ids },
    tx,
  )
}

/** Takes back exactly what a ruling taught. */
export async function unlearn(db: Database, tx: Tx, rulingId: number): Promise<void> {
  const lessons = await select<Lesson & { message_id: number | null }>(
    db,
    'SELECT message_id, verdict, words, senders FROM lessons WHERE ruling_id = :rulingId ORDER BY id',
    { rulingId },
    tx,
  )
  for (const lesson of lessons) await apply(db, tx, lesson, -1)
  await execute(db, 'DELETE FROM lessons WHERE ruling_id = :rulingId', { rulingId }, tx)
  await callMessages(
    db,
    tx,
    lessons.map(({ message_id }) => message_id ?? 0),
  )
}

/** Word counts and the sender's own count; `sign` is 1 to learn, -1 to forget. */
export async function apply(
  db: Database,
  tx: Tx,
  { verdict, words, senders }: Lesson,
  sign: 1 | -1,
): Promise<void> {
  const wanted = verdict === 'wanted' ? sign : 0
  const junk = sign - wanted
  // Sorted, so that two rulings touch the rows in the same order.
  const tuples = ['', ...words].sort().map((_, i) => `(:w${i}, :wanted, :junk)`)
  const values = Object.fromEntries(['', ...words].sort().map((word, i) => [`w${i}`, word]))
  await execute(
    db,
    `INSERT INTO words (word, wanted, junk) VALUES ${tuples.join(',')} ON DUPLICATE KEY UPDATE wanted = wanted + :wanted, junk = junk + :junk`,
    { ...values, wanted, junk },
    tx,
  )
  if (senders.length > 0) {
    await execute(
      db,
      'UPDATE senders_seen SET wanted = wanted + :wanted, junk = junk + :junk WHERE sender IN (:senders)',
      { wanted, junk, senders },
      tx,
    )
  }
}
