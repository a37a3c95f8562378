import { createHash } from 'node:crypto'
import { addressText, withoutTag } from '@pendro/core/address'
import { findAutomaticSign } from '@pendro/core/digest'
import { replayHistory, type HistoryMessage, type HistoryVerdict } from '@pendro/core/history'
import { tokensOf } from '@pendro/core/judgement'
import type { Message } from '@pendro/core/message'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { HistoryMessages, HistoryRuns } from '../db/models/history.ts'
import { findAll, findOne, idAt, insert, insertOne, remove, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { hashMessageId, listKey } from '../judging/knowledge.ts'
import type { Reader } from '../reading/reader.ts'
import { forget, teach } from '../rulings/learning.ts'
import { addReplayed } from './counts.ts'

/** A message of before as it was found. */
export interface Found {
  readonly raw: Buffer
  readonly mailboxId: number
  readonly verdict: HistoryVerdict
}

interface Learnable extends HistoryMessage {
  readonly verdict: HistoryVerdict
  readonly words: readonly string[]
  readonly cluster: string | null
  readonly messageIdHash: string | null
  readonly subject: string
}

/** How far a run has come with its source. */
export interface Progress {
  readonly place: string
  readonly done: number
  readonly total: number
  /** Messages that could not be held. */
  readonly leftOut: number
  readonly isEnd: boolean
}

/** Begins to learn from messages of before; its number. */
export function beginHistory(
  db: Database,
  { name, by, now }: { readonly name: string; readonly by: string; readonly now: Date },
): Promise<number> {
  return insertOne(db, HistoryRuns, { at: now, name, by_name: by, state: 'learning', taken: 0, left_out: 0 })
}

/**
 * Learns from some messages in one step, all of it or nothing: broken off and begun again, what was learned is left out. Nothing is
 * delivered and no original is kept. How many were new.
 */
export async function learnHistory(
  db: Database,
  runId: number,
  messages: readonly Found[],
  read: Reader['read'],
  progress?: Progress,
): Promise<number> {
  const learnable = await Promise.all(messages.map(found => learnableOf(found, read)))
  const each = [...new Map(learnable.flatMap(one => (one ? [[one.hash, one] as const] : []))).values()]
  return inTransaction(db, async tx => {
    await lockRun(db, tx, runId, 'learning')
    const fresh = await newOf(db, tx, each)
    await addReplayed(
      db,
      tx,
      replayHistory(fresh, ({ verdict }) => verdict),
      1,
    )
    const ids = await insert(
      db,
      HistoryMessages,
      fresh.map(one => rowOf(runId, one)),
      tx,
    )
    await teach(
      db,
      tx,
      fresh.flatMap((one, i) => (one.verdict === 'sent' ? [] : [lessonOf(idAt(ids, i), one, one.verdict)])),
    )
    const left = messages.length - fresh.length + (progress?.leftOut ?? 0)
    await execute(
      db,
      'UPDATE history_runs SET taken = taken + :taken, left_out = left_out + :left WHERE id = :runId',
      { runId, taken: fresh.length, left },
      tx,
    )
    if (progress) {
      const { place, done, total, isEnd } = progress
      const ended = isEnd ? { state: 'done' as const } : {}
      await update(db, HistoryRuns, { place, done, total, ...ended }, { id: runId }, tx)
    }
    return fresh.length
  })
}

const rowOf = (
  runId: number,
  { hash, mailboxId, verdict, senders, to, messageIdHash, subject }: Learnable,
) => ({
  run_id: runId,
  hash,
  mailbox_id: mailboxId,
  verdict,
  senders,
  written_to: to,
  message_id_hash: verdict === 'sent' ? messageIdHash : null,
  subject: verdict === 'sent' ? subject : '',
})

const lessonOf = (historyId: number, { words, senders, cluster }: Learnable, verdict: 'wanted' | 'junk') => ({
  ruling_id: null,
  message_id: null,
  history_id: historyId,
  verdict,
  words,
  // What became of their mail is counted by the replay.
  senders: [],
  cluster_key: cluster,
  sender: senders[0]?.slice(0, 320) ?? null,
  colleague_id: null,
})

/** Ends the learning; it can be taken back at any time. */
export async function endHistory(db: Database, runId: number): Promise<void> {
  await inTransaction(db, async tx => {
    await lockRun(db, tx, runId, 'learning')
    await update(db, HistoryRuns, { state: 'done' }, { id: runId }, tx)
  })
}

const undoneAtOnce = 500

/** Takes a part of what a run taught back; how much was left before it. 0: all of it is gone. Broken off, it goes on where it was. */
export async function undoHistory(db: Database, runId: number): Promise<number> {
  return inTransaction(db, async tx => {
    const run = await findOne(db, HistoryRuns, { id: runId }, { tx, lock: true })
    if (!run) throw new AppError('CHANGE_NOT_FOUND')
    const rows = await findAll(
      db,
      HistoryMessages,
      { run_id: runId },
      { order: [['id', 'DESC']], limit: undoneAtOnce, tx },
    )
    await update(db, HistoryRuns, { state: rows.length === 0 ? 'undone' : 'undoing' }, { id: runId }, tx)
    if (rows.length === 0) return 0
    const learned = rows.map(row => ({
      hash: row.hash,
      mailboxId: row.mailbox_id,
      verdict: row.verdict,
      senders: row.senders,
      to: row.written_to,
    }))
    await addReplayed(
      db,
      tx,
      replayHistory(learned, ({ verdict }) => verdict),
      -1,
    )
    const ids = rows.map(({ id }) => id)
    await forget(db, tx, { history_id: ids })
    await remove(db, HistoryMessages, { id: ids }, tx)
    return rows.length
  })
}

async function lockRun(db: Database, tx: Tx, id: number, state: 'learning'): Promise<void> {
  const run = await findOne(db, HistoryRuns, { id }, { tx, lock: true })
  if (run?.state !== state) throw new AppError('CHANGE_NOT_FOUND')
}

/** Those that nothing has been learned from yet, whichever run it was. */
async function newOf(db: Database, tx: Tx, all: readonly Learnable[]): Promise<readonly Learnable[]> {
  if (all.length === 0) return []
  const known = await select<{ hash: string }>(
    db,
    'SELECT hash FROM history_messages WHERE hash IN (:hashes)',
    { hashes: all.map(({ hash }) => hash) },
    tx,
  )
  const hashes = new Set(known.map(({ hash }) => hash))
  return all.filter(({ hash }) => !hashes.has(hash))
}

async function learnableOf(
  { raw, mailboxId, verdict }: Found,
  read: Reader['read'],
): Promise<Learnable | null> {
  const { parsed, likeness } = await read(raw)
  if (!parsed.ok) return null
  const message = parsed.value
  // An automatic reply answers everybody: it makes nobody a correspondent.
  if (verdict === 'sent' && isAutomatic(message)) return null
  return {
    hash: createHash('sha256').update(raw).digest('hex'),
    mailboxId,
    verdict,
    senders: keysOf(message),
    to: recipientsOf(message),
    words: [...tokensOf(message)],
    cluster: likeness?.key ?? null,
    messageIdHash: message.messageId === null ? null : hashMessageId(message.messageId),
    subject: message.subject.slice(0, 500),
  }
}

const isAutomatic = ({ headers, subject }: Message): boolean =>
  findAutomaticSign({ headers, envelopeFrom: 'unknown', subject }) !== null

/** A List-Id needs no proof here: it stands in mail that people kept. Where it is judged by, it has to be proven. */
function keysOf({ from: [first], listId }: Message): readonly string[] {
  const address = first?.address
  return [
    ...(address ? [addressText(withoutTag(address)), `@${address.domain}`] : []),
    ...(listId === null ? [] : [listKey(listId)]),
  ]
}

const mostRecipients = 100

const recipientsOf = ({ to, cc }: Message): readonly string[] =>
  [...to, ...cc]
    .flatMap(({ address }) => (address === null ? [] : [addressText(withoutTag(address))]))
    .slice(0, mostRecipients)

/** How a run stands. */
export const findHistory = (db: Database, id: number) =>
  findRow<{ state: string; taken: number; left_out: number }>(
    db,
    'SELECT state, taken, left_out FROM history_runs WHERE id = :id',
    { id },
  )
