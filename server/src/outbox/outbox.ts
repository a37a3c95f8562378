import { gunzipSync } from 'node:zlib'
import { execute, findRow, inTransaction, select, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { signingKey } from '../db/signing-keys.ts'
import type { Log } from '../log.ts'
import { ownDomain } from './own-mail.ts'
import type { Send } from './smtp-out.ts'
import { deliveryMark, onwardFields, withoutOwnFields } from './trace.ts'
import { createFinish, type Done, type Job } from './finish.ts'
import { createSlots, type Slots } from '../jobs/slots.ts'

interface Deps {
  readonly db: Database
  readonly send: Send
  readonly log: Log
  readonly now: () => Date
  /** Writes a welcome or a one-time code when it is about to go; `null`: the mailbox is gone. */
  readonly letter: (kind: 'welcome' | 'code', mailboxId: number) => Promise<Buffer | null>
}

/** What came of a job. Jobs that end at the same moment are written down together. */
type Working = Deps & { readonly finish: (done: Done) => Promise<void> }

const withFinish = (deps: Deps): Working => ({ ...deps, finish: createFinish(deps) })

interface ClaimedJob extends Job {
  /** `null` for mail of our own. */
  readonly mailbox_id: number | null
}

const seconds = (n: number) => n * 1000
/** A claim runs out so that a crashed process's work is taken up by another. */
const claimFor = seconds(120)

/** Sends everything that is due; the number of jobs worked on. Safe with any number of processes. */
export async function workOutbox(given: Deps): Promise<number> {
  const deps = withFinish(given)
  const jobs = await claimJobs(deps, 20, [])
  await Promise.all(jobs.map(job => send(deps, job)))
  return jobs.length
}

const send = (deps: Working, job: Job): Promise<void> =>
  job.kind === 'delivery' ? sendDelivery(deps, job) : sendOwnMail(deps, job)

const slots = 20
/** A mailbox that hangs holds up no more than this many of them. */
const slotsPerMailbox = 3

/** The same as a loop's work, without waiting for the slowest; no mailbox has more than its share of the slots. */
export function createOutbox(given: Deps): Slots {
  const deps = withFinish(given)
  return createSlots<ClaimedJob>({
    name: 'outbox',
    slots,
    perKey: slotsPerMailbox,
    keyOf: job => job.mailbox_id ?? Number(job.place),
    claim: (limit, busy) => claimJobs(deps, limit, busy),
    run: job => send(deps, job),
    log: deps.log,
  })
}

async function claimJobs(
  { db, now }: Deps,
  limit: number,
  busy: readonly number[],
): Promise<readonly ClaimedJob[]> {
  const at = now()
  const jobs = await inTransaction(db, async tx => {
    // By raw SQL: Sequelize drops SKIP LOCKED on MariaDB.
    const jobs = await select<Job>(
      db,
      `SELECT id, kind, subject_id, place, attempts FROM outbox
       WHERE done_at IS NULL AND next_at <= :at AND (claimed_until IS NULL OR claimed_until < :at)
       ${busy.length === 0 ? '' : "AND NOT (kind = 'delivery' AND subject_id IN (SELECT id FROM deliveries WHERE mailbox_id IN (:busy)))"}
       ORDER BY next_at LIMIT :limit FOR UPDATE SKIP LOCKED`,
      { at, limit, busy },
      tx,
    )
    if (jobs.length > 0) {
      await execute(
        db,
        'UPDATE outbox SET claimed_until = :until WHERE id IN (:ids)',
        { until: new Date(at.getTime() + claimFor), ids: jobs.map(({ id }) => id) },
        tx,
      )
    }
    return jobs
  })
  const ids = jobs.flatMap(({ kind, subject_id }) => (kind === 'delivery' ? [subject_id] : []))
  const mailboxes =
    ids.length === 0
      ? []
      : await select<{ id: number; mailbox_id: number }>(
          db,
          'SELECT id, mailbox_id FROM deliveries WHERE id IN (:ids)',
          { ids },
        )
  return jobs.map(job => ({
    ...job,
    mailbox_id:
      mailboxes.find(({ id }) => job.kind === 'delivery' && id === job.subject_id)?.mailbox_id ?? null,
  }))
}

async function sendDelivery(deps: Working, job: Job): Promise<void> {
  const { db } = deps
  const row = await findRow<{
    envelope_from: string
    folder: string | null
    gzip: Buffer
    address: string
    client_ip: string
    client_helo: string
    received_at: Date
  }>(
    db,
    `SELECT m.envelope_from, m.client_ip, m.client_helo, m.received_at, d.folder, s.gzip, b.address
     FROM deliveries d JOIN messages m ON m.id = d.message_id JOIN message_sources s ON s.message_id = m.id
     JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.id = :id`,
    { id: job.subject_id },
  )
  if (!row) return deps.finish({ job, result: { status: 'refused', problem: 'message-gone' } })
  const [key, organisation] = await Promise.all([signingKey(db, 'deliveries'), readOrganisation(db)])
  const fields = onwardFields({
    mark: deliveryMark(key, job.subject_id, job.place),
    place: job.place,
    folder: row.folder,
    received: {
      ip: row.client_ip,
      helo: row.client_helo,
      by: ownDomain(organisation),
      at: row.received_at,
    },
  })
  const raw = Buffer.concat([fields, withoutOwnFields(gunzipSync(row.gzip))])
  const result = await deps.send({ from: row.envelope_from, to: row.address }, raw)
  await deps.finish({ job, result })
}

async function ownSource({ db, letter }: Deps, { kind, subject_id: id }: Job): Promise<Buffer | null> {
  if (kind === 'welcome' || kind === 'code') return letter(kind, id)
  const row = await findRow<{ source: Buffer | null }>(
    db,
    kind === 'digest'
      ? 'SELECT source FROM digests WHERE id = :id'
      : 'SELECT answer AS source FROM digest_replies WHERE id = :id',
    { id },
  )
  return row?.source ?? null
}

/** Mail of our own: a digest, the answer to a reply, a welcome, a code. */
async function sendOwnMail(deps: Working, job: Job): Promise<void> {
  const source = await ownSource(deps, job)
  if (!source)
    return deps.finish({
      job,
      result: { status: 'refused', problem: job.kind === 'digest' ? 'digest-gone' : 'letter-gone' },
    })
  const raw = Buffer.concat([
    Buffer.from(`Pendro-Delivery: ${job.kind}-${job.subject_id}.${job.id}\r\nPendro-Place: inbox\r\n`),
    source,
  ])
  const to = await findRow<{ address: string }>(deps.db, 'SELECT address FROM mailboxes WHERE id = :id', {
    id: Number(job.place),
  })
  if (!to) return deps.finish({ job, result: { status: 'refused', problem: 'mailbox-gone' } })
  // An empty reverse-path: a digest that bounces must not make more mail (RFC 3834 §3.3).
  await deps.finish({ job, result: await deps.send({ from: '', to: to.address }, raw) })
}
