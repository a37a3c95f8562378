import type { DeliveryState } from '@pendro/core/delivery'
import { execute, inTransaction, isBusy, select, type Database, type Tx } from '../db/database.ts'
import { moveDeliveries } from '../deliveries/move.ts'
import { isDatabaseAway } from '../errors.ts'
import { createBatches } from '../jobs/batches.ts'
import { announce, type NewEvent } from '../live/events.ts'
import type { Log } from '../log.ts'
import { pendro, writeRecord, type RecordLine } from '../record/write.ts'
import { enqueue, tryAllAgain, type JobKind } from './queue.ts'
import type { SendResult } from './smtp-out.ts'

export interface Job {
  readonly id: number
  readonly kind: JobKind
  readonly subject_id: number
  readonly place: string
  readonly attempts: number
  /** 1: the last try may have arrived all the same. */
  readonly unsure: number
}

/** A job, and what the mail store said. */
export interface Done {
  readonly job: Job
  readonly result: SendResult
}

interface Deps {
  readonly db: Database
  readonly log: Log
  readonly now: () => Date
}

const seconds = (n: number) => n * 1000
/** Waits before the second, third, … try; the last is repeated. */
const patience = [seconds(2), seconds(5), seconds(15), seconds(60), seconds(300), seconds(900)]

/** Milliseconds the outcome of a job waits for those of jobs that are being sent. */
const gatherFor = 80

/** Writes down what came of jobs: together where they end at the same moment, each of them once. */
export function createFinish(
  { db, log, now }: Deps,
  isMoreComing: () => boolean,
): (done: Done) => Promise<void> {
  return createBatches<Done, void>({
    most: 50,
    gather: { isMoreComing, atMost: gatherFor },
    isEverybodys: error => isDatabaseAway(error) || isBusy(error),
    run: async all => {
      const at = now()
      await inTransaction(db, async tx => {
        for (const one of all) if (one.result.status === 'later') await postpone(db, tx, one, at)
        const ended = all.filter(({ result }) => result.status !== 'later')
        await end(db, tx, await firstToEnd(db, tx, ended, at), at)
        if (ended.some(({ job, result }) => result.status === 'taken' && job.attempts > 0))
          await tryAllAgain(db, tx, at)
      })
      for (const one of all) tell(log, one)
      return all.map(() => undefined)
    },
  })
}

function tell(log: Log, { job, result }: Done): void {
  if (result.status === 'taken') log.landed(job.kind, job.subject_id)
  else if (result.status === 'refused') log.bounced(job.kind, job.subject_id, result.problem)
  else log.waits(job.kind, job.subject_id, job.attempts + 1, result.problem)
}

async function postpone(db: Database, tx: Tx, { job, result }: Done, at: Date): Promise<void> {
  const wait = patience[Math.min(job.attempts, patience.length - 1)] ?? 0
  await execute(
    db,
    'UPDATE outbox SET attempts = attempts + 1, next_at = :next, claimed_until = NULL, problem = :problem, unsure = :unsure WHERE id = :id',
    {
      next: new Date(at.getTime() + wait),
      problem: result.status === 'later' ? result.problem : '',
      unsure: result.status === 'later' && result.unsure === true,
      id: job.id,
    },
    tx,
  )
  if (job.kind === 'delivery') await announce(db, tx, at, [changed(job, 'deferred')])
}

/** Of jobs that ended, those that no other process had ended before. */
async function firstToEnd(db: Database, tx: Tx, ended: readonly Done[], at: Date): Promise<readonly Done[]> {
  if (ended.length === 0) return []
  // By their numbers: where little waits, the index of what is due would be taken, and all that waits locked for a moment. Whoever claims
  // passes over what is locked, and a mailbox's later message would go before its earlier one.
  const open = await select<{ id: number }>(
    db,
    'SELECT id FROM outbox FORCE INDEX (PRIMARY) WHERE id IN (:ids) AND done_at IS NULL ORDER BY id FOR UPDATE',
    { ids: ended.map(({ job }) => job.id) },
    tx,
  )
  const ids = new Set(open.map(({ id }) => id))
  const mine = ended.filter(({ job }) => ids.has(job.id))
  for (const [problem, alike] of groupBy(mine, problemOf))
    await execute(
      db,
      'UPDATE outbox SET done_at = :at, claimed_until = NULL, problem = :problem WHERE id IN (:ids)',
      { at, problem, ids: alike.map(({ job }) => job.id) },
      tx,
    )
  return mine
}

const problemOf = ({ result }: Done) => (result.status === 'refused' ? result.problem : '')

async function end(db: Database, tx: Tx, ended: readonly Done[], at: Date): Promise<void> {
  const digests = ended.filter(({ job }) => job.kind === 'digest')
  for (const [problem, alike] of groupBy(digests, problemOf))
    await execute(
      db,
      'UPDATE digests SET state = :state, problem = :problem WHERE id IN (:ids)',
      { state: problem ? 'bounced' : 'sent', problem, ids: alike.map(({ job }) => job.subject_id) },
      tx,
    )
  await endReplies(
    db,
    tx,
    ended.filter(({ job }) => job.kind === 'reply'),
    at,
  )
  await endRelays(
    db,
    tx,
    ended.filter(({ job }) => job.kind === 'relay'),
    at,
  )
  const events = await endDeliveries(
    db,
    tx,
    ended.filter(({ job }) => job.kind === 'delivery'),
    at,
  )
  const told = [
    ...digests.map((): NewEvent => ({ kind: 'digest', deliveryId: null, state: null, by: '' })),
    // How far an answer has come stands in its enquiry.
    ...ended
      .filter(({ job }) => job.kind === 'letter')
      .map((): NewEvent => ({ kind: 'enquiry', deliveryId: null, state: null, by: '' })),
  ]
  await announce(db, tx, at, [...events, ...told])
}

/** Who was answered stands in the record; a reply that was not due has noted nobody. */
async function endReplies(db: Database, tx: Tx, ended: readonly Done[], at: Date): Promise<void> {
  const taken = ended.filter(one => problemOf(one) === '').map(({ job }) => job.subject_id)
  if (taken.length === 0) return
  const sent = await select<{ mailbox_id: number; address: string; delivery_id: number }>(
    db,
    'SELECT mailbox_id, address, delivery_id FROM automatic_replies_sent WHERE delivery_id IN (:taken) AND sent_at IS NULL FOR UPDATE',
    { taken },
    tx,
  )
  if (sent.length === 0) return
  await execute(
    db,
    'UPDATE automatic_replies_sent SET sent_at = :at WHERE delivery_id IN (:ids) AND sent_at IS NULL',
    { at, ids: sent.map(row => row.delivery_id) },
    tx,
  )
  await writeRecord(
    db,
    tx,
    sent.map(({ mailbox_id, address, delivery_id }) => ({
      act: 'auto-replied' as const,
      at,
      by: pendro,
      mailboxId: mailbox_id,
      deliveryId: delivery_id,
      facts: { to: address },
    })),
  )
}

/** What colleagues sent was taken, or they hear that it was not: never about mail that has no sender to tell. */
async function endRelays(db: Database, tx: Tx, ended: readonly Done[], at: Date): Promise<void> {
  for (const [problem, alike] of groupBy(ended, problemOf)) {
    const ids = alike.map(({ job }) => job.subject_id)
    await execute(
      db,
      'UPDATE relays SET state = :state, problem = :problem, ended_at = :at WHERE id IN (:ids)',
      { state: problem === '' ? 'taken' : 'returned', problem, at, ids },
      tx,
    )
    if (problem === '') continue
    const told = await select<{ id: number }>(
      db,
      "SELECT r.id FROM relays r JOIN messages m ON m.id = r.message_id WHERE r.id IN (:ids) AND m.envelope_from <> ''",
      { ids },
      tx,
    )
    await enqueue(
      db,
      tx,
      'return',
      told.map(({ id }) => ({ subjectId: id, place: '0', at })),
    )
  }
}

/** Mail that has arrived is answered where its mailbox answers by itself just now; what a person released is not. */
async function askReplies(db: Database, tx: Tx, landed: readonly Done[], at: Date): Promise<void> {
  const ids = landed.filter(({ job }) => answered.has(job.place)).map(({ job }) => job.subject_id)
  if (ids.length === 0) return
  const rows = await select<{ id: number; mailbox_id: number }>(
    db,
    `SELECT d.id, d.mailbox_id FROM deliveries d JOIN automatic_replies r ON r.mailbox_id = d.mailbox_id
     WHERE d.id IN (:ids) AND (r.mode = 'always' OR (r.mode = 'away' AND EXISTS (
       SELECT 1 FROM away_periods p WHERE p.mailbox_id = d.mailbox_id AND p.from_at <= :at AND p.until_at > :at)))`,
    { ids, at },
    tx,
  )
  await enqueue(
    db,
    tx,
    'reply',
    rows.map(({ id, mailbox_id }) => ({ subjectId: id, place: String(mailbox_id), at })),
    { again: true },
  )
}

/** Where mail counts as arrived: not the junk folder, and not what had been kept back. */
const answered: ReadonlySet<string> = new Set(['inbox', 'moved', 'aside'])

async function endDeliveries(
  db: Database,
  tx: Tx,
  ended: readonly Done[],
  at: Date,
): Promise<readonly NewEvent[]> {
  if (ended.length === 0) return []
  const rows = await select<{ id: number; mailbox_id: number; state: string; bound_for: string | null }>(
    db,
    'SELECT id, mailbox_id, state, bound_for FROM deliveries WHERE id IN (:ids) ORDER BY id FOR UPDATE',
    { ids: ended.map(({ job }) => job.subject_id) },
    tx,
  )
  const byId = new Map(rows.map(row => [row.id, row]))
  // Others were called back meanwhile, or are on another way.
  const awaited = ended.filter(({ job }) => {
    const row = byId.get(job.subject_id)
    return row?.state === 'deferred' && row.bound_for === job.place
  })
  const landed = awaited.filter(one => problemOf(one) === '')
  const refused = awaited.filter(one => problemOf(one) !== '')
  await moveDeliveries(
    db,
    tx,
    'land',
    landed.map(({ job }) => ({
      id: job.subject_id,
      from: 'deferred',
      to: job.place as DeliveryState,
      landedAt: at,
    })),
  )
  await askReplies(db, tx, landed, at)
  await moveDeliveries(
    db,
    tx,
    'refuse',
    refused.map(({ job }) => ({ id: job.subject_id, from: 'deferred', to: 'bounced' })),
  )
  await writeRecord(
    db,
    tx,
    awaited
      // Ordinary mail that reaches the inbox is not worth a line; what people asked for is.
      .filter(one => problemOf(one) !== '' || one.job.place === 'released')
      .map(one => ({
        ...outcomeOf(one),
        at,
        by: pendro,
        mailboxId: byId.get(one.job.subject_id)?.mailbox_id ?? null,
        deliveryId: one.job.subject_id,
      })),
  )
  return awaited.map(one =>
    changed(one.job, problemOf(one) === '' ? (one.job.place as DeliveryState) : 'bounced'),
  )
}

const outcomeOf = (one: Done): RecordLine =>
  problemOf(one) === '' ? { act: 'landed' } : { act: 'bounced', facts: { problem: problemOf(one) } }

const changed = ({ subject_id }: Job, state: DeliveryState): NewEvent => ({
  kind: 'changed',
  deliveryId: subject_id,
  state,
  by: '',
})

function groupBy<T>(items: readonly T[], keyOf: (item: T) => string): ReadonlyMap<string, readonly T[]> {
  const groups = new Map<string, T[]>()
  for (const item of items) groups.set(keyOf(item), [...(groups.get(keyOf(item)) ?? []), item])
  return groups
}
