import { execute, select, type Database, type Tx } from '../db/database.ts'
import { Outbox } from '../db/models/deliveries.ts'
import { insert } from '../db/rows.ts'

/** What the outbox sends: a delivery's copy, mail of our own, or a colleague's on its way out. */
export type JobKind =
  | 'delivery'
  | 'digest'
  | 'answer'
  | 'welcome'
  | 'code'
  | 'letter'
  | 'reply'
  | 'invitation'
  /** What a colleague sends, to one recipient. */
  | 'relay'
  /** That it came to nothing. */
  | 'return'

export interface NewJob {
  readonly subjectId: number
  /** Where a delivery should go; for mail of our own the mailbox that gets it. */
  readonly place: string
  readonly at: Date
}

/**
 * Queues work for the outbox, in the transaction that makes it necessary. One job of a kind, subject and place at a time: a
 * second one hits the unique key, unless `again` clears away those that are done.
 */
export async function enqueue(
  db: Database,
  tx: Tx,
  kind: JobKind,
  jobs: readonly NewJob[],
  { again = false }: { readonly again?: boolean } = {},
): Promise<void> {
  if (jobs.length === 0) return
  if (again)
    for (const place of new Set(jobs.map(job => job.place)))
      await execute(
        db,
        'DELETE FROM outbox WHERE kind = :kind AND subject_id IN (:ids) AND place = :place AND done_at IS NOT NULL',
        { kind, place, ids: jobs.filter(job => job.place === place).map(({ subjectId }) => subjectId) },
        tx,
      )
  await insert(
    db,
    Outbox,
    jobs.map(({ subjectId, place, at }) => ({ kind, subject_id: subjectId, place, next_at: at })),
    tx,
  )
}

/** Welcomes colleagues who have not been welcomed yet, each once. */
export async function enqueueWelcomes(
  db: Database,
  tx: Tx,
  mailboxIds: readonly number[],
  now: Date,
): Promise<void> {
  await execute(
    db,
    `INSERT IGNORE INTO outbox (kind, subject_id, place, next_at)
     SELECT 'welcome', b.id, b.id, :now FROM mailboxes b LEFT JOIN colleague_access a ON a.mailbox_id = b.id
     WHERE b.id IN (:mailboxIds) AND b.kind = 'person' AND a.welcomed_at IS NULL`,
    { mailboxIds, now },
    tx,
  )
}

/** Gives claimed jobs back. What a process that was killed had begun is unsure, and stays so: its claim was all that said it. */
export async function giveBackJobs(
  db: Database,
  jobs: readonly { readonly id: number; readonly unsure: number }[],
): Promise<void> {
  const idsOf = (some: typeof jobs) => [0, ...some.map(({ id }) => id)]
  await execute(
    db,
    'UPDATE outbox SET claimed_until = NULL, unsure = unsure OR id IN (:unsure) WHERE id IN (:ids)',
    { ids: idsOf(jobs), unsure: idsOf(jobs.filter(({ unsure }) => unsure === 1)) },
  )
}

/** Calls releases back that no process has begun to send, or that have surely not arrived; which deliveries' they were. */
export async function cancelReleases(
  db: Database,
  tx: Tx,
  deliveryIds: readonly number[],
): Promise<ReadonlySet<number>> {
  if (deliveryIds.length === 0) return new Set()
  const jobs = await select<{ id: number; subject_id: number }>(
    db,
    `SELECT id, subject_id FROM outbox FORCE INDEX (k_subject) WHERE kind = 'delivery' AND subject_id IN (:deliveryIds) AND place = 'released'
     AND done_at IS NULL AND claimed_until IS NULL AND NOT unsure FOR UPDATE`,
    { deliveryIds },
    tx,
  )
  if (jobs.length > 0)
    await execute(db, 'DELETE FROM outbox WHERE id IN (:ids)', { ids: jobs.map(({ id }) => id) }, tx)
  return new Set(jobs.map(({ subject_id }) => subject_id))
}

/** Has everything that waits for a mail store tried at once; how many deliveries that are. What is being sent is left alone. */
export function hurryAll(db: Database, tx: Tx, now: Date): Promise<number> {
  return execute(
    db,
    "UPDATE outbox SET next_at = :now WHERE kind = 'delivery' AND done_at IS NULL AND next_at > :now AND claimed_until IS NULL",
    { now },
    tx,
  )
}

/** Has what waits for a delivery's mail store tried at once; false when nothing waits, or it is being sent. */
export async function hurry(db: Database, tx: Tx, deliveryId: number, now: Date): Promise<boolean> {
  const changed = await execute(
    db,
    "UPDATE outbox SET next_at = :now WHERE kind = 'delivery' AND subject_id = :deliveryId AND done_at IS NULL AND claimed_until IS NULL",
    { deliveryId, now },
    tx,
  )
  return changed > 0
}

/** Jobs that were tried and wait for their next try. */
export async function countWaiting(db: Database): Promise<number> {
  const [row] = await select<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM outbox WHERE done_at IS NULL AND attempts > 0',
  )
  return row?.n ?? 0
}

/** A store that takes again what it did not take before is back: what waits for it goes at once. */
export async function tryAllAgain(db: Database, tx: Tx, at: Date): Promise<void> {
  await execute(
    db,
    'UPDATE outbox SET next_at = :at WHERE done_at IS NULL AND claimed_until IS NULL AND attempts > 0 AND next_at > :at',
    { at },
    tx,
  )
}
