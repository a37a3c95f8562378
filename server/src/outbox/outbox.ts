import { findRow, select, type Database } from '../db/database.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { signingKey } from '../db/signing-keys.ts'
import type { Log } from '../log.ts'
import { ownDomain } from './own-mail.ts'
import { unpack } from './source.ts'
import { giveBackJobs } from './queue.ts'
import type { Send, SendResult, Way } from './smtp-out.ts'
import { deliveryMark, onwardFields, relayField, relayMark, withoutOwnFields } from './trace.ts'
import { createFinish, type Done, type Job } from './finish.ts'
import { isDatabaseAway } from '../errors.ts'
import { createBatches } from '../jobs/batches.ts'
import { claim } from '../jobs/claim.ts'
import { createSlots, type Slots } from '../jobs/slots.ts'

/** Mail of our own that is written at the last moment. */
export type LetterKind = 'welcome' | 'code' | 'letter' | 'invitation'

/** One copy of a delivery that is to be in a mailbox. */
export interface WantedCopy {
  readonly deliveryId: number
  readonly mailbox: { readonly id: number; readonly address: string; readonly store: string }
  /** As its Pendro-Delivery field says it. */
  readonly mark: string
}

/** What the outbox asks of a mail store that can be looked into. */
export interface InStore {
  /** Whether a copy arrived after all, of a try that nobody heard the end of; `null`: nobody can say; 'later': not just now. */
  readonly has: (wanted: WantedCopy) => Promise<boolean | null | 'later'>
  /**
   * Brings a released delivery to the inbox: moves what is in another folder, or puts it there with its own date where the store is set
   * so; `null`: it is to be handed over as any other.
   */
  readonly bring: (
    wanted: WantedCopy,
    message: () => Promise<{ readonly raw: Buffer; readonly receivedAt: Date }>,
  ) => Promise<SendResult | null>
}

interface Deps {
  readonly db: Database
  readonly send: Send
  readonly log: Log
  readonly now: () => Date
  /** Writes a welcome, a one-time code, an answer or an invitation when it is about to go; `null`: what it is about is gone. */
  readonly letter: (kind: LetterKind, id: number, mailboxId: number) => Promise<Buffer | null>
  /** Writes what tells a sender that their mail came to nothing; `null`: there is nobody to tell. */
  readonly returned?: (relayId: number) => Promise<{ readonly to: string; readonly raw: Buffer } | null>
  /** Mail stores that can be looked into; left out where none can. */
  readonly inStore?: InStore
  /** Writes the automatic reply to a delivery; `null`: it gets none. Without it nobody is answered. */
  readonly reply?: (deliveryId: number) => Promise<{ readonly to: string; readonly raw: Buffer } | null>
}

/** What came of a job. Jobs that end at the same moment are written down together. */
type Working = Deps & {
  readonly finish: (done: Done) => Promise<void>
  readonly load: (deliveryId: number) => Promise<Outgoing | null>
}

function working(deps: Deps): Working {
  let sending = 0
  const finish = createFinish(deps, () => sending > 0)
  return {
    ...deps,
    load: createLoad(deps.db),
    finish,
    send: async (...given) => {
      sending += 1
      try {
        return await deps.send(...given)
      } finally {
        sending -= 1
      }
    },
  }
}

interface ClaimedJob extends Job {
  /** `null` for mail of our own. */
  readonly mailbox_id: number | null
  /** Bytes of its message; 0 for mail of our own. */
  readonly size: number
}

const seconds = (n: number) => n * 1000
/** A claim runs out so that a crashed process's work is taken up by another. */
const claimFor = seconds(120)

/** Sends everything that is due; the number of jobs worked on. Safe with any number of processes. */
export async function workOutbox(given: Deps): Promise<number> {
  const deps = working(given)
  const jobs = await claimJobs(deps, 20, [])
  await Promise.all(jobs.map(job => send(deps, job)))
  return jobs.length
}

function send(deps: Working, job: Job): Promise<void> {
  switch (job.kind) {
    case 'delivery':
      return sendDelivery(deps, job)
    case 'relay':
      return sendRelay(deps, job)
    case 'reply':
      return sendWritten(deps, job, 'outside', deps.reply)
    case 'return':
      return sendWritten(deps, job, 'store', deps.returned)
    default:
      return sendOwnMail(deps, job)
  }
}

/** More than any server has connections: what is read and waits keeps them busy while the next is claimed. */
const slots = 48
/** Bytes of messages that are being handed over: each is held packed, unpacked and with our fields on top. */
const mostHeld = 128 * 1024 * 1024
/** A mailbox has one of them: it holds up nobody else, and its mail arrives in the order in which it came. */
const slotsPerMailbox = 1
/** Mail going out has the slots of so many mailboxes: one smart host takes all of it. */
const relayLanes = 12

/** Mail of our own names its mailbox; a delivery that is gone has none. */
function laneOf({ kind, mailbox_id: mailbox, subject_id: subject, place }: ClaimedJob): number {
  if (kind === 'relay') return -1 - (subject % relayLanes)
  return mailbox ?? (kind === 'delivery' ? 0 : Number(place))
}

/** The same as a loop's work, without waiting for the slowest; no mailbox has more than its share of the slots. */
export function createOutbox(given: Deps): Slots {
  const deps = notingBeside(working(given))
  const { work, stop } = createSlots<ClaimedJob>({
    name: 'outbox',
    slots,
    together: 32,
    perKey: slotsPerMailbox,
    weightOf: ({ size }) => size,
    mostWeight: mostHeld,
    keyOf: laneOf,
    claim: (limit, busy) => claimJobs(deps, limit, busy),
    run: job => send(deps, job),
    giveBack: jobs => giveBackJobs(deps.db, jobs),
    log: deps.log,
  })
  return {
    // Looks again at once while there is something: the pause between looks would be the fastest it gets.
    work: async () => {
      const until = performance.now() + atATime
      for (let begun = 0; ;) {
        const found = await work()
        begun += found
        if (found === 0 || performance.now() > until) return begun
      }
    },
    stop: async () => {
      await stop()
      await deps.noted()
    },
  }
}

/** Milliseconds after which it is looked whether the process is to stop, however much is due. */
const atATime = 500

/** Outcomes that wait to be written down, at most: a database that is slow holds sending up at last. */
const mostUnnoted = 200

/** Writes down what came of jobs while the next ones are sent: neither connections nor mailboxes wait for that. */
function notingBeside(deps: Working): Working & { readonly noted: () => Promise<void> } {
  const noting = new Set<Promise<void>>()
  return {
    ...deps,
    finish: async done => {
      const under: Promise<void> = deps
        .finish(done)
        .catch((error: unknown) => deps.log.jobFailed('outbox', error))
        .finally(() => noting.delete(under))
      noting.add(under)
      if (noting.size >= mostUnnoted) await Promise.race(noting)
    },
    noted: async () => {
      await Promise.all(noting)
    },
  }
}

const table = { table: 'outbox', key: 'id' } as const

async function claimJobs(
  { db, now }: Deps,
  limit: number,
  busy: readonly number[],
): Promise<readonly ClaimedJob[]> {
  const others =
    busy.length === 0
      ? ''
      : // Not by IN or EXISTS: where much waits, all deliveries of those mailboxes would be read first.
        "AND NOT (kind = 'delivery' AND COALESCE((SELECT mailbox_id FROM deliveries d WHERE d.id = subject_id), 0) IN (:busy))"
  const jobs = await claim<Job>(
    db,
    {
      ...table,
      // One that is still claimed was begun by a process that never said how it ended.
      columns: 'id, kind, subject_id, place, attempts, unsure OR claimed_until IS NOT NULL AS unsure',
      due: `done_at IS NULL AND next_at <= :at ${others}`,
      // What waited for the same store goes oldest first.
      order: 'next_at, id',
    },
    { at: now(), holdFor: claimFor, limit, values: { busy } },
  )
  const about = await Promise.all((['delivery', 'relay'] as const).map(kind => subjectsOf(db, kind, jobs)))
  const byKind = new Map(about.map(({ kind, byId }) => [kind as Job['kind'], byId]))
  return jobs.map(job => ({ ...job, ...(byKind.get(job.kind)?.get(job.subject_id) ?? ours) }))
}

type Subject = Pick<ClaimedJob, 'mailbox_id' | 'size'>
const ours: Subject = { mailbox_id: null, size: 0 }

const subjectSql = {
  delivery:
    'SELECT d.id, d.mailbox_id, m.size FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.id IN (:ids)',
  relay:
    'SELECT r.id, NULL AS mailbox_id, m.size FROM relays r JOIN messages m ON m.id = r.message_id WHERE r.id IN (:ids)',
} as const

/** Whose mail jobs of a kind are, and how much it is. */
async function subjectsOf(db: Database, kind: keyof typeof subjectSql, jobs: readonly Job[]) {
  const ids = jobs.flatMap(job => (job.kind === kind ? [job.subject_id] : []))
  const rows =
    ids.length === 0 ? [] : await select<Subject & { readonly id: number }>(db, subjectSql[kind], { ids })
  return { kind, byId: new Map(rows.map(({ id, mailbox_id, size }) => [id, { mailbox_id, size }])) }
}

interface Outgoing {
  readonly organisation: Organisation
  readonly id: number
  readonly envelope_from: string
  readonly folder: string | null
  readonly important: number
  readonly gzip: Buffer
  /** Of the bytes when unpacked. */
  readonly size: number
  readonly mailbox_id: number
  readonly address: string
  readonly store: string
  readonly client_ip: string
  readonly client_helo: string
  readonly received_at: Date
}

/** Deliveries of one read at most: their sources are held in memory together, and are bounded with the slots. */
const mostRead = slots

/** What is to be sent of a delivery; those asked for at the same moment are read together. `null`: it is gone. */
const createLoad = (db: Database) =>
  createBatches<number, Outgoing | null>({
    most: mostRead,
    isEverybodys: isDatabaseAway,
    run: async ids => {
      const organisation = await readOrganisation(db)
      const rows = await select<Omit<Outgoing, 'organisation'>>(
        db,
        `SELECT d.id, m.envelope_from, m.client_ip, m.client_helo, m.received_at, m.size, d.folder, d.important, s.gzip, d.mailbox_id, b.address, b.store
         FROM deliveries d JOIN messages m ON m.id = d.message_id JOIN message_sources s ON s.message_id = m.id
         JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.id IN (:ids)`,
        { ids },
      )
      const byId = new Map(rows.map(row => [row.id, { ...row, organisation }]))
      return ids.map(id => byId.get(id) ?? null)
    },
  })

async function sendDelivery({ db, load, send, finish, inStore }: Working, job: Job): Promise<void> {
  const row = await load(job.subject_id)
  if (!row) return finish({ job, result: { status: 'refused', problem: 'message-gone' } })
  const mark = deliveryMark(await signingKey(db, 'deliveries'), job.subject_id, job.place)
  const wanted = {
    deliveryId: job.subject_id,
    mailbox: { id: row.mailbox_id, address: row.address, store: row.store },
    mark,
  }
  if (job.unsure && inStore) {
    const has = await inStore.has(wanted)
    if (has === true) return finish({ job, result: { status: 'taken' } })
    if (has === 'later')
      return finish({ job, result: { status: 'later', problem: 'store-not-asked', unsure: true } })
  }
  const message = async () => ({ raw: await onward(row, job, mark), receivedAt: row.received_at })
  const brought = job.place === 'released' ? ((await inStore?.bring(wanted, message)) ?? null) : null
  const { address: to, store, organisation } = row
  const envelope = { from: row.envelope_from, to, store, organisation }
  await finish({ job, result: brought ?? (await send(envelope, (await message()).raw)) })
}

/** A message as the store gets it. */
async function onward(row: Outgoing, job: Job, mark: string): Promise<Buffer> {
  const fields = onwardFields({
    mark,
    place: job.place,
    folder: row.folder,
    important: row.important === 1,
    received: {
      ip: row.client_ip,
      helo: row.client_helo,
      by: ownDomain(row.organisation),
      at: row.received_at,
    },
  })
  return Buffer.concat([fields, withoutOwnFields(await unpack(row))])
}

async function ownSource({ db, letter }: Deps, { kind, subject_id: id, place }: Job): Promise<Buffer | null> {
  if (kind === 'welcome' || kind === 'code' || kind === 'letter' || kind === 'invitation')
    return letter(kind, id, Number(place))
  const row = await findRow<{ source: Buffer | null }>(
    db,
    kind === 'digest'
      ? 'SELECT source FROM digests WHERE id = :id'
      : 'SELECT answer AS source FROM digest_replies WHERE id = :id',
    { id },
  )
  return row?.source ?? null
}

/** An automatic reply, or mail that comes back. One that is not due after all is done, too. */
async function sendWritten(
  { send, finish }: Working,
  job: Job,
  way: Way,
  write: Deps['reply'],
): Promise<void> {
  const written = (await write?.(job.subject_id)) ?? null
  const result: SendResult = written
    ? // The empty reverse-path: what can't be delivered must not make more mail (RFC 3834 §3.3).
      await send({ from: '', to: written.to }, written.raw, way)
    : { status: 'taken' }
  await finish({ job, result })
}

interface Relayed {
  readonly envelope_from: string
  readonly recipient: string
  readonly gzip: Buffer
  readonly size: number
  readonly client_ip: string
  readonly client_helo: string
  readonly received_at: Date
  readonly give_up_at: Date
}

/** What a colleague sends, to one of its recipients. What nobody took in days comes back. */
async function sendRelay({ db, now, send, finish }: Working, job: Job): Promise<void> {
  const row = await findRow<Relayed>(
    db,
    `SELECT m.envelope_from, r.recipient, r.give_up_at, m.client_ip, m.client_helo, m.received_at, m.size, s.gzip
     FROM relays r JOIN messages m ON m.id = r.message_id JOIN message_sources s ON s.message_id = m.id WHERE r.id = :id`,
    { id: job.subject_id },
  )
  if (!row) return finish({ job, result: { status: 'refused', problem: 'message-gone' } })
  const [key, source, organisation] = await Promise.all([
    signingKey(db, 'deliveries'),
    unpack(row),
    readOrganisation(db),
  ])
  const field = relayField({
    id: relayMark(key, job.subject_id),
    received: { ip: row.client_ip, helo: row.client_helo, by: ownDomain(organisation), at: row.received_at },
  })
  const raw = Buffer.concat([field, withoutOwnFields(source)])
  const result = await send({ from: row.envelope_from, to: row.recipient }, raw, 'outside')
  const isTooLate = result.status === 'later' && now() >= row.give_up_at
  await finish({ job, result: isTooLate ? { status: 'refused', problem: result.problem } : result })
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
  const to = await findRow<{ address: string; store: string }>(
    deps.db,
    'SELECT address, store FROM mailboxes WHERE id = :id',
    { id: Number(job.place) },
  )
  if (!to) return deps.finish({ job, result: { status: 'refused', problem: 'mailbox-gone' } })
  // An empty reverse-path: a digest that bounces must not make more mail (RFC 3834 §3.3).
  await deps.finish({ job, result: await deps.send({ from: '', to: to.address, store: to.store }, raw) })
}
