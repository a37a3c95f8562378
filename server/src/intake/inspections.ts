import { gunzipSync } from 'node:zlib'
import type { PathLineShape } from '@pendro/contract'
import { isKeptBack, type DeliveryState } from '@pendro/core/delivery'
import { execute, inTransaction, type Database, type Tx } from '../db/database.ts'
import { findAll, findOne, update } from '../db/rows.ts'
import { Inspections, MessageSources, Messages } from '../db/models/messages.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Deliveries, DeliveryJudgements } from '../db/models/deliveries.ts'
import { moveDeliveries } from '../deliveries/move.ts'
import { announce } from '../live/events.ts'
import type { Log } from '../log.ts'
import type { Lab, LabAnswer } from './lab.ts'
import { enqueue } from '../outbox/queue.ts'
import { pendro, writeRecord } from '../record/write.ts'
import type { Reader } from '../reading/reader.ts'
import { claim, giveBack } from '../jobs/claim.ts'
import { createSlots, type Slots } from '../jobs/slots.ts'

interface Deps {
  readonly db: Database
  /** The attachments of a message that the lab should look at. */
  readonly contents: Reader['toInspect']
  readonly lab: Lab
  readonly log: Log
  readonly now: () => Date
}

interface Job {
  readonly message_id: number
  readonly attempts: number
  readonly tickets: readonly string[]
}

const claimFor = 120_000
const askAgain = 2_000
/** A lab that has not answered by then can't tell: mail does not wait for ever. */
const patience = 30 * 60_000
const waitAfterFailure = [5_000, 15_000, 60_000, 300_000]

const slots = 10

/** Hands attachments to the lab and lets messages go on when it has answered; the number of jobs that moved. */
export async function workInspections(deps: Deps): Promise<number> {
  const jobs = await claimJobs(deps, slots)
  const moved = await Promise.all(jobs.map(job => inspect(deps, job)))
  return moved.filter(Boolean).length
}

/** The same as a loop's work: a file the lab takes long over does not hold up the others. */
export const createInspections = (deps: Deps): Slots =>
  createSlots<Job>({
    name: 'inspections',
    slots,
    perKey: slots,
    keyOf: job => job.message_id,
    claim: limit => claimJobs(deps, limit),
    run: async job => {
      await inspect(deps, job)
    },
    giveBack: jobs =>
      giveBack(
        deps.db,
        table,
        jobs.map(job => job.message_id),
      ),
    log: deps.log,
  })

const table = { table: 'inspections', key: 'message_id' } as const

const claimJobs = ({ db, now }: Deps, limit: number): Promise<readonly Job[]> =>
  claim<Job>(
    db,
    {
      ...table,
      columns: 'message_id, attempts, tickets',
      due: 'done_at IS NULL AND next_at <= :at',
      order: 'next_at',
    },
    { at: now(), holdFor: claimFor, limit },
  )

async function inspect(deps: Deps, job: Job): Promise<boolean> {
  try {
    if (job.tickets.length === 0) return await hand(deps, job)
    const answers = await Promise.all(job.tickets.map(ticket => deps.lab.ask(ticket)))
    const verdict = verdictOf(answers)
    const isOpen = verdict === 'waiting' || verdict === 'forgotten'
    if (isOpen && !(await isOverdue(deps, job))) {
      if (verdict === 'forgotten') await handAgain(deps, job)
      else await again(deps, job, askAgain, '')
      return false
    }
    await goOn(deps, job, isOpen ? 'unknown' : verdict)
    return true
  } catch (error) {
    const problem = error instanceof Error ? error.message : String(error)
    deps.log.labAway(job.message_id, problem)
    if (await isOverdue(deps, job)) {
      await goOn(deps, job, 'unknown')
      return true
    }
    await again(deps, job, failureWait(job), problem)
    return false
  }
}

/** One harmful attachment is enough; one that is still waited for, or was forgotten, keeps the message waiting. */
function verdictOf(answers: readonly LabAnswer[]): LabAnswer {
  for (const worst of ['harmful', 'forgotten', 'waiting', 'unknown'] as const)
    if (answers.includes(worst)) return worst
  return 'clean'
}

async function hand(deps: Deps, job: Job): Promise<boolean> {
  const { db, lab, contents } = deps
  const source = await findOne(db, MessageSources, { message_id: job.message_id }, { columns: ['gzip'] })
  const found = source ? await contents(gunzipSync(source.gzip)) : []
  const tickets = await Promise.all(found.slice(0, 20).map(content => lab.hand(content)))
  if (tickets.length === 0) {
    await goOn(deps, job, 'clean')
    return true
  }
  await update(
    db,
    Inspections,
    { tickets, claimed_until: null, next_at: new Date(deps.now().getTime() + askAgain) },
    { message_id: job.message_id },
  )
  return false
}

/** The lab knows nothing of a ticket it gave: it gets the files again, a little later each time. */
async function handAgain(deps: Deps, job: Job): Promise<void> {
  await update(deps.db, Inspections, { tickets: [] }, { message_id: job.message_id })
  await again(deps, job, failureWait(job), 'ticket-forgotten')
}

const failureWait = ({ attempts }: Job) =>
  waitAfterFailure[Math.min(attempts, waitAfterFailure.length - 1)] ?? 0

async function isOverdue({ db, now }: Deps, { message_id }: Job): Promise<boolean> {
  const row = await findOne(db, Messages, { id: message_id }, { columns: ['received_at'] })
  return row !== null && now().getTime() - row.received_at.getTime() > patience
}

async function again({ db, now }: Deps, { message_id }: Job, wait: number, problem: string): Promise<void> {
  await execute(
    db,
    'UPDATE inspections SET attempts = attempts + :failed, claimed_until = NULL, next_at = :next, problem = :problem WHERE message_id = :message_id',
    {
      failed: problem === '' ? 0 : 1,
      next: new Date(now().getTime() + wait),
      problem: problem.slice(0, 500),
      message_id,
    },
  )
}

type LabVerdict = 'clean' | 'harmful' | 'unknown'

/** The deliveries go where they were judged to go; a harmful message is sealed instead. */
async function goOn({ db, log, now }: Deps, { message_id }: Job, verdict: LabVerdict): Promise<void> {
  const at = now()
  await inTransaction(db, async tx => {
    const done = await update(
      db,
      Inspections,
      { done_at: at, verdict, claimed_until: null },
      { message_id, done_at: null },
      tx,
    )
    if (done === 0) return
    const waiting = await findAll(
      db,
      Deliveries,
      { message_id, state: 'inspecting' },
      { columns: ['id', 'mailbox_id', 'bound_for'], tx, lock: true },
    )
    if (verdict === 'harmful')
      await update(db, Messages, { harm: { name: 'attachment', danger: 'lab' } }, { id: message_id }, tx)
    await place(db, tx, at, verdict, waiting)
  })
  log.inspected(message_id, verdict)
}

type Waiting = Pick<RowOf<typeof Deliveries>, 'id' | 'mailbox_id' | 'bound_for'>

/** Moves what has waited for the lab, with all that follows from it. */
async function place(
  db: Database,
  tx: Tx,
  at: Date,
  verdict: LabVerdict,
  waiting: readonly Waiting[],
): Promise<void> {
  // One that is bound for nowhere is damage; kept back, a person will look at it.
  const placed = waiting.map(({ bound_for, ...one }) => {
    const boundFor = bound_for ?? 'quarantined'
    return { ...one, bound_for: boundFor, to: placeOf(verdict, boundFor) }
  })
  await moveDeliveries(
    db,
    tx,
    verdict === 'harmful' ? 'seal' : 'clear',
    placed.map(({ id, bound_for, to }) => ({
      id,
      from: 'inspecting' as const,
      to,
      boundFor: to === 'deferred' ? bound_for : null,
      ...(to === 'sealed' ? { leftOut: true as const } : {}),
    })),
  )
  await enqueue(
    db,
    tx,
    'delivery',
    placed
      .filter(({ to }) => to === 'deferred')
      .map(({ id, bound_for }) => ({ subjectId: id, place: bound_for, at })),
  )
  const sealed = placed.filter(({ to }) => to === 'sealed')
  for (const { id } of sealed) await sealPath(db, tx, id)
  await announce(
    db,
    tx,
    at,
    placed.map(({ id, to }) => ({
      kind: isKeptBack(to) ? ('came-in' as const) : ('changed' as const),
      deliveryId: id,
      state: to,
      by: '',
    })),
  )
  await writeRecord(
    db,
    tx,
    sealed.map(({ id, mailbox_id }) => ({
      at,
      act: 'sealed' as const,
      by: pendro,
      mailboxId: mailbox_id,
      deliveryId: id,
      facts: {},
    })),
  )
}

/** Where a message goes that has been looked at; harmless ones where they were judged to go. */
function placeOf(verdict: LabVerdict, boundFor: string): DeliveryState {
  if (verdict === 'harmful') return 'sealed'
  return boundFor === 'quarantined' || boundFor === 'discarded' ? boundFor : 'deferred'
}

/** The path says that harm decided, and that nothing after it was asked any more. */
async function sealPath(db: Database, tx: Tx, deliveryId: number): Promise<void> {
  const row = await findOne(db, DeliveryJudgements, { delivery_id: deliveryId }, { columns: ['path'], tx })
  if (!row) return
  const path = row.path.map((line): PathLineShape =>
    line.stage === 'harm'
      ? { ...line, outcome: 'decided', facts: { name: 'attachment', danger: 'lab' } }
      : {
          ...line,
          outcome: 'late',
          overruled: line.decided ? [line.decided, ...line.overruled] : line.overruled,
          decided: null,
        },
  )
  await update(db, DeliveryJudgements, { path }, { delivery_id: deliveryId }, tx)
  await update(
    db,
    Deliveries,
    // What watching noted it would have been holds no longer: sealed mail is sealed, watched or not.
    { reasons: [{ finding: 'harm', facts: { name: 'attachment' } }], points: 'against', would: null },
    { id: deliveryId },
    tx,
  )
}
