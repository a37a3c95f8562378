import { gunzipSync } from 'node:zlib'
import type { SenderFacts } from '@pendro/core/senders'
import { execute, findRow, select, type Database, type Tx } from '../db/database.ts'
import type { NewRowOf } from '../db/models/columns.ts'
import { Lessons } from '../db/models/learning.ts'
import { findAll, insert, remove, update } from '../db/rows.ts'
import { seenKeys } from '../judging/knowledge.ts'
import type { Reader } from '../reading/reader.ts'
import { countable, waitingBeside, type Taught } from './counted.ts'
import { findReading, type Reading } from '../reading/reading.ts'

export type Verdict = 'wanted' | 'junk' | 'phishing'

/** What one message can teach. */
export interface Teaching {
  readonly messageId: number
  readonly words: readonly string[]
  /** Of `seenKeys`. */
  readonly senders: readonly string[]
  /** Of the message's deliveries; `null` when it has none. */
  readonly cluster: string | null
}

interface Lesson extends Pick<Teaching, 'senders'> {
  readonly verdict: Verdict
}

const atOnce = 200

/**
 * What these messages can teach, each once; messages that are gone teach nothing. Asked before a transaction: reading takes
 * time, and nothing must be locked meanwhile.
 */
export async function teachingsOf(
  db: Database,
  messageIds: readonly number[],
  read: Reader['read'],
): Promise<readonly Teaching[]> {
  const ids = [...new Set(messageIds)].sort((a, b) => a - b)
  const teachings: Teaching[] = []
  for (let i = 0; i < ids.length; i += atOnce) {
    const rows = await select<{
      id: number
      sender_facts: SenderFacts
      gzip: Buffer | null
      cluster_key: string | null
    }>(
      db,
      `SELECT m.id, m.sender_facts, r.gzip,
         (SELECT d.cluster_key FROM deliveries d WHERE d.message_id = m.id LIMIT 1) AS cluster_key FROM messages m JOIN message_sources s ON s.message_id = m.id
       LEFT JOIN message_readings r ON r.message_id = m.id WHERE m.id IN (:ids) ORDER BY m.id`,
      { ids: ids.slice(i, i + atOnce) },
    )
    for (const { id, sender_facts, gzip, cluster_key } of rows) {
      const reading = gzip
        ? (JSON.parse(gunzipSync(gzip).toString('utf8')) as Reading)
        : await findReading(db, id, read)
      teachings.push(teachingOf(id, sender_facts, reading, cluster_key))
    }
  }
  return teachings
}

export const teachingOf = (
  messageId: number,
  facts: SenderFacts,
  reading: Reading | null,
  cluster: string | null,
): Teaching => ({
  messageId,
  cluster,
  words: reading?.words ?? [],
  senders: seenKeys(facts),
})

/**
 * Learns from messages that people ruled on; what was learned is kept with the ruling, word by word. Of one cluster, one sender
 * and one colleague only so much counts: whoever writes or hands in the same a thousand times moves nothing further.
 */
export async function learn(
  db: Database,
  tx: Tx,
  rulingId: number,
  verdict: Verdict,
  teachings: readonly Teaching[],
): Promise<void> {
  if (teachings.length === 0) return
  const colleague = await findRow<{ colleague_id: number | null }>(
    db,
    'SELECT colleague_id FROM rulings WHERE id = :rulingId',
    { rulingId },
    tx,
  )
  const lessons = teachings.map(({ messageId, words, senders, cluster }) => ({
    ruling_id: rulingId,
    message_id: messageId,
    verdict,
    words,
    senders,
    cluster_key: cluster,
    sender: senders[0]?.slice(0, 320) ?? null,
    colleague_id: colleague?.colleague_id ?? null,
  }))
  await teach(db, tx, lessons)
  await callMessages(
    db,
    tx,
    teachings.map(({ messageId }) => messageId),
  )
}

type LessonToKeep = Omit<NewRowOf<typeof Lessons>, 'counted' | 'verdict'> & Lesson & Taught

/** Keeps lessons, and counts what of them may count. */
export async function teach(db: Database, tx: Tx, lessons: readonly LessonToKeep[]): Promise<void> {
  if (lessons.length === 0) return
  const counts = await countable(db, tx, lessons)
  const rows = lessons.map(lesson => ({ ...lesson, counted: counts(lesson) }))
  await insert(db, Lessons, rows, tx)
  await countWords(
    db,
    tx,
    rows.filter(({ counted }) => counted),
    1,
  )
  await countSenders(db, tx, lessons, 1)
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

/** Takes back exactly what a ruling taught, of some messages or of all. */
export async function unlearn(
  db: Database,
  tx: Tx,
  rulingId: number,
  messageIds?: readonly number[],
): Promise<void> {
  const gone = await forget(db, tx, {
    ruling_id: rulingId,
    ...(messageIds ? { message_id: [...messageIds] } : {}),
  })
  await callMessages(db, tx, gone)
}

/** Takes lessons back as if they had never been; the messages they were of. */
export async function forget(
  db: Database,
  tx: Tx,
  which: { readonly ruling_id?: number; readonly message_id?: number[]; readonly history_id?: number[] },
): Promise<readonly number[]> {
  const lessons = await findAll(db, Lessons, which, {
    columns: [
      'message_id',
      'verdict',
      'words',
      'senders',
      'counted',
      'cluster_key',
      'sender',
      'colleague_id',
    ],
    order: [['id', 'ASC']],
    tx,
  })
  if (lessons.length === 0) return []
  const counted = lessons.filter(lesson => lesson.counted === 1)
  await countWords(db, tx, counted, -1)
  await countSenders(db, tx, lessons, -1)
  await remove(db, Lessons, which, tx)
  await countInstead(db, tx, counted)
  return lessons.map(({ message_id }) => message_id ?? 0)
}

/** Where a lesson that counted is gone, one that waited beside it counts: as if the other had never been. */
async function countInstead(db: Database, tx: Tx, gone: readonly Taught[]): Promise<void> {
  const waiting = await waitingBeside(db, tx, gone)
  if (waiting.length === 0) return
  const counts = await countable(db, tx, waiting)
  const now = waiting.filter(counts)
  if (now.length === 0) return
  await update(db, Lessons, { counted: true }, { id: now.map(({ id }) => id) }, tx)
  await countWords(db, tx, now, 1)
}

interface Counts {
  wanted: number
  junk: number
}

function count(
  map: Map<string, Counts>,
  keys: Iterable<string>,
  { verdict, sign }: { verdict: string; sign: 1 | -1 },
): void {
  for (const key of keys) {
    const counts = map.get(key) ?? { wanted: 0, junk: 0 }
    counts[verdict === 'wanted' ? 'wanted' : 'junk'] += sign
    map.set(key, counts)
  }
}

/**
 * Words of lessons that count; `sign` is 1 to learn, -1 to forget. All lessons in a few statements, since mail that comes in
 * waits for the rows they lock; in the order of the keys, so that two rulings wait for each other and don't lock each other out.
 */
export async function countWords(
  db: Database,
  tx: Tx,
  lessons: readonly { readonly verdict: string; readonly words: readonly string[] }[],
  sign: 1 | -1,
): Promise<void> {
  const words = new Map<string, Counts>()
  for (const { verdict, words: own } of lessons) count(words, new Set(['', ...own]), { verdict, sign })
  for (const chunk of chunksOf(words)) {
    await execute(
      db,
      `INSERT INTO words (word, wanted, junk) VALUES ${chunk.map((_, i) => `(:w${i}, :a${i}, :b${i})`).join(',')}
       ON DUPLICATE KEY UPDATE wanted = wanted + VALUES(wanted), junk = junk + VALUES(junk)`,
      valuesOf(chunk, 'w'),
      tx,
    )
  }
}

/** What people called a sender's mail, whether or not its words count. */
async function countSenders(db: Database, tx: Tx, lessons: readonly Lesson[], sign: 1 | -1): Promise<void> {
  const senders = new Map<string, Counts>()
  for (const { verdict, senders: own } of lessons) count(senders, own, { verdict, sign })
  for (const chunk of chunksOf(senders)) {
    // Only senders that are known: the row is made by their mail.
    const rows = chunk
      .map((_, i) => `SELECT :w${i} AS sender, :a${i} AS wanted, :b${i} AS junk`)
      .join(' UNION ALL ')
    await execute(
      db,
      `UPDATE senders_seen s JOIN (${rows}) x ON x.sender = s.sender SET s.wanted = s.wanted + x.wanted, s.junk = s.junk + x.junk`,
      valuesOf(chunk, 'w'),
      tx,
    )
  }
}

type Chunk = readonly (readonly [key: string, counts: Counts])[]

const rowsAtOnce = 1000

function chunksOf(map: ReadonlyMap<string, Counts>): readonly Chunk[] {
  const rows = [...map].sort(([a], [b]) => (a < b ? -1 : 1))
  return Array.from({ length: Math.ceil(rows.length / rowsAtOnce) }, (_, i) =>
    rows.slice(i * rowsAtOnce, (i + 1) * rowsAtOnce),
  )
}

const valuesOf = (chunk: Chunk, name: string) =>
  Object.fromEntries(
    chunk.flatMap(([key, { wanted, junk }], i) => [
      [`${name}${i}`, key],
      [`a${i}`, wanted],
      [`b${i}`, junk],
    ]),
  )
