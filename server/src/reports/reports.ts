import { randomUUID } from 'node:crypto'
import type { RulingSentence } from '@pendro/contract'
import { writeArf } from '@pendro/core/formats'
import { senderFacts } from '@pendro/core/judgement'
import type { Message } from '@pendro/core/message'
import type { SenderFacts } from '@pendro/core/senders'
import { findRow, inTransaction, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Messages } from '../db/models/messages.ts'
import type { Deliveries } from '../db/models/deliveries.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import type { Reader } from '../reading/reader.ts'
import { unpackReading, type Packed } from '../reading/reading.ts'
import { storeMessages } from '../intake/store-messages.ts'
import { hashMessageId } from '../judging/knowledge.ts'
import type { Actor } from '../record/write.ts'
import { teachingOf, type Teaching } from '../rulings/learning.ts'
import { writeRuling, type RulingPlan } from '../rulings/write.ts'
import { translator } from '../wording.ts'

interface Reported {
  readonly by: Actor
  /** Set when a colleague reports: the delivery meant is theirs. */
  readonly mailboxId: number | null
  readonly raw: Buffer
  /** In the server a worker thread with a deadline. */
  readonly read: Reader['read']
  readonly verdict: 'junk' | 'phishing'
  readonly now: Date
}

export interface TakenReport {
  readonly rulingId: number
  readonly subject: string
  readonly deliveryId: number | null
}

/** Fields one of which every message has that was sent (RFC 5322 §3.6); a page or a list of notes has none. */
const mailFields: ReadonlySet<string> = new Set(['from', 'date', 'message-id', 'received', 'return-path'])

/** Almost any text can be read as a field and a body; mail has the fields of mail. */
const looksLikeMail = ({ headers }: Message): boolean =>
  headers.some(({ name, value }) => mailFields.has(name.toLowerCase()) && value.trim() !== '')

/**
 * Learns from a message that got through and was handed in. It is a ruling like any other: in the record,
 * undone from there. A message Pendro has never seen is kept for it.
 */
export async function learnReported(db: Database, reported: Reported): Promise<TakenReport> {
  const { by, mailboxId, raw, read, verdict, now } = reported
  const { parsed, packed } = await read(raw)
  if (!parsed.ok || !packed.reading || !looksLikeMail(parsed.value)) throw new AppError('NO_MESSAGE')
  const message = parsed.value
  const reading = unpackReading(packed.reading)
  return inTransaction(db, async tx => {
    const known = await findKnown(db, tx, message, mailboxId)
    const messageId = known?.message_id ?? (await keepMessage(db, tx, { message, raw, packed, now }))
    const learned = (await hasTaughtEnough(db, tx, by, mailboxId, now)) ? 'nothing' : verdict
    const teaching = teachingOf(
      messageId,
      known?.sender_facts ?? senderFacts(message, null),
      reading,
      known?.cluster_key ?? null,
    )
    const plan = planOf(reported, { message, known, learned, teaching })
    const { id } = await writeRuling(db, tx, plan)
    return { rulingId: id, subject: message.subject, deliveryId: known?.id ?? null }
  })
}

interface Learned {
  readonly message: Message
  readonly known: Known | null
  readonly learned: RulingSentence['learn']
  readonly teaching: Teaching
}

function planOf(
  { by, mailboxId, now }: Reported,
  { message, known, learned, teaching }: Learned,
): RulingPlan {
  return {
    token: randomUUID(),
    by: { actor: by, columns: { staffer_id: by.kind === 'staffer' ? by.id : null } },
    at: now,
    sentence: {
      message: 'leave',
      learn: learned,
      sender: 'as-is',
      width: 'address',
      for: 'colleague',
      withoutAuthentication: false,
      reason: '',
    },
    moves: known ? [{ id: known.id, from: known.state, to: known.state, cameFrom: null }] : [],
    lists: null,
    lesson:
      learned === 'nothing'
        ? null
        : { verdict: learned, teachings: [teaching], clusters: known ? [known.cluster_key] : [] },
    record: {
      act: 'ruling',
      mailboxId: known?.mailbox_id ?? mailboxId,
      deliveryId: known?.id ?? null,
      facts: {
        message: 'report',
        learn: learned,
        sender: 'as-is',
        for: 'colleague',
        until: '',
        deliveries: 1,
        colleagues: 1,
        subject: message.subject.slice(0, 500),
        from: message.from[0]?.text ?? '',
        patterns: '',
        ended: 0,
      },
    },
  }
}

/** Of one colleague in a day; more of them are noted and teach nothing. */
const mostLessons = 10
const day = 86_400_000

/**
 * Whether a colleague's reports of a day have taught all they may: one mailbox, or whoever got into it, must not be able
 * to teach the filter of everybody else. Staffers' rulings are not counted.
 */
async function hasTaughtEnough(
  db: Database,
  tx: Tx,
  by: Actor,
  mailboxId: number | null,
  now: Date,
): Promise<boolean> {
  if (by.kind !== 'colleague' || mailboxId === null) return false
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM record_entries WHERE mailbox_id = :mailboxId AND by_kind = 'colleague' AND act = 'ruling'
     AND at > :since AND JSON_VALUE(facts, '$.message') = 'report' AND JSON_VALUE(facts, '$.learn') <> 'nothing'`,
    { mailboxId, since: new Date(now.getTime() - day) },
    tx,
  )
  return Number(row?.n ?? 0) >= mostLessons
}

type Known = Pick<RowOf<typeof Deliveries>, 'id' | 'message_id' | 'mailbox_id' | 'state' | 'cluster_key'> &
  Pick<RowOf<typeof Messages>, 'sender_facts'>

function findKnown(
  db: Database,
  tx: Tx,
  { messageId }: Message,
  mailboxId: number | null,
): Promise<Known | null> {
  if (messageId === null) return Promise.resolve(null)
  return findRow<Known>(
    db,
    `SELECT d.id, d.message_id, d.mailbox_id, d.state, d.cluster_key, m.sender_facts FROM messages m JOIN deliveries d ON d.message_id = m.id
     WHERE m.message_id_hash = :hash AND m.direction = 'in' ${mailboxId === null ? '' : 'AND d.mailbox_id = :mailboxId'} ORDER BY d.id LIMIT 1`,
    { hash: hashMessageId(messageId), mailboxId },
    tx,
  )
}

interface Handed {
  readonly message: Message
  readonly raw: Buffer
  readonly packed: Packed
  readonly now: Date
}

/** A message that got past us, or was never sent through us: stored like any other, so that it is found like any other. */
async function keepMessage(db: Database, tx: Tx, { message, raw, packed, now }: Handed): Promise<number> {
  const [messageId = 0] = await storeMessages(db, tx, [
    {
      direction: 'in',
      receivedAt: now,
      message,
      envelopeFrom: '',
      size: raw.length,
      packed,
      sender: senderFacts(message, null),
    },
  ])
  return messageId
}

/** An abuse report of a delivery's message, to be sent on to whoever is responsible for its sender (RFC 5965). */
export async function arfOf(db: Database, deliveryId: number, raw: Buffer, now: Date): Promise<Buffer> {
  const row = await findRow<{
    received_at: Date
    envelope_from: string
    address_used: string
    sender_facts: SenderFacts
    phishing: number
  }>(
    db,
    `SELECT d.received_at, m.envelope_from, d.address_used, m.sender_facts,
       EXISTS (SELECT 1 FROM lessons l WHERE l.message_id = m.id AND l.verdict = 'phishing') AS phishing
     FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.id = :deliveryId`,
    { deliveryId },
  )
  if (!row) throw new AppError('DELIVERY_NOT_FOUND')
  const { digestAddress } = await readOrganisation(db)
  const domain = row.sender_facts.from[0]?.domain ?? ''
  const t = translator('en')
  const type = row.phishing === 1 ? 'fraud' : 'abuse'
  return writeArf({
    type,
    subject: t(`arf.subject.${type}`),
    words: t(`arf.words.${type}`, { date: row.received_at.toUTCString() }),
    raw,
    from: digestAddress,
    to: domain === '' ? 'undisclosed-recipients:;' : `abuse@${domain}`,
    originalFrom: row.envelope_from,
    originalTo: [row.address_used],
    arrivedAt: row.received_at.getTime(),
    reportedDomains: domain === '' ? [] : [domain],
    boundary: `report-${randomUUID()}`,
    messageId: `<${randomUUID()}@${digestAddress.split('@')[1] ?? 'invalid'}>`,
    now: now.getTime(),
  })
}
