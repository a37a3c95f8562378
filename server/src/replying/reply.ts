import {
  noReply,
  replyWords,
  senderKey,
  threadOf,
  whyUnanswered,
  type AutomaticReply,
  type Unanswered,
} from '@pendro/core/automatic-reply'
import type { SenderFacts } from '@pendro/core/senders'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { AutomaticReplies } from '../db/models/replies.ts'
import { findMailboxRow, readOrganisation, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { composeOwnMail } from '../outbox/own-mail.ts'
import type { Reader } from '../reading/reader.ts'
import { findReading, type Reading } from '../reading/reading.ts'

const day = 86_400_000

/** A reply that is to be sent, and to whom. */
export interface WrittenReply {
  readonly to: string
  readonly raw: Buffer
}

interface Row {
  readonly id: number
  readonly mailbox_id: number
  readonly message_id: number
  readonly received_at: Date
  readonly envelope_from: string
  readonly subject: string
  readonly sender_facts: SenderFacts
}

interface Deps {
  readonly db: Database
  readonly read: Reader['read']
  readonly now: Date
}

/** What a mailbox answers by itself. */
export async function replyOf(db: Database, mailboxId: number, tx?: Tx): Promise<AutomaticReply> {
  const row = await findOne(db, AutomaticReplies, { mailbox_id: mailboxId }, { tx })
  return row ? { ...row.setting, when: row.mode } : noReply
}

/**
 * The answer to a delivery that has arrived, written when it is about to go; `null`: it gets none (RFC 3834 §2, RFC 5230 §4).
 * Whoever is answered is noted first, so that two messages at once are answered once; a second try of the same one goes on.
 */
export async function writeReply({ db, read, now }: Deps, deliveryId: number): Promise<WrittenReply | null> {
  const row = await findRow<Row>(
    db,
    `SELECT d.id, d.mailbox_id, d.message_id, d.received_at, m.envelope_from, d.subject, m.sender_facts
     FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.id = :deliveryId AND d.state IN ('inbox', 'moved', 'aside')`,
    { deliveryId },
  )
  const mailbox = row && (await findMailboxRow(db, row.mailbox_id))
  if (!row || !mailbox) return null
  const [organisation, reply, reading] = await Promise.all([
    readOrganisation(db),
    replyOf(db, mailbox.id),
    findReading(db, row.message_id, read),
  ])
  if (!reading || reply.when === 'off') return null
  if (await reasonAgainst(db, mailbox, row, reading)) return null
  const reader = await readerOf(db, organisation, row.envelope_from)
  const texts = reader.isInside ? reply.inside : reply.outside
  const words = replyWords(texts, { language: reader.language, subject: row.subject })
  if (!words || !(await claimSender(db, row, reply, now))) return null
  const raw = await composeReply(organisation, mailbox, {
    words,
    to: { name: '', address: row.envelope_from },
    thread: threadOf(reading.headers),
    id: `reply-${row.id}`,
    date: now,
  })
  return { to: row.envelope_from, raw }
}

async function reasonAgainst(
  db: Database,
  mailbox: MailboxRow,
  row: Row,
  { headers }: Reading,
): Promise<Unanswered | null> {
  const own = await select<{ address: string }>(
    db,
    'SELECT address FROM mailbox_addresses WHERE mailbox_id = :id',
    { id: mailbox.id },
  )
  return whyUnanswered({
    headers,
    envelopeFrom: row.envelope_from,
    own: [mailbox.address, ...own.map(({ address }) => address)],
    authentication: row.sender_facts.authentication,
  })
}

/** Whether the reader is one of ours, and in which language they read, where that is known. */
async function readerOf(db: Database, { policy }: Organisation, address: string) {
  const domain = address.slice(address.lastIndexOf('@') + 1).toLowerCase()
  const isInside = policy.ownDomains.some(own => domain === own || domain.endsWith(`.${own}`))
  if (!isInside) return { isInside, language: null }
  const row = await findRow<{ language: string }>(
    db,
    'SELECT b.language FROM mailbox_addresses a JOIN mailboxes b ON b.id = a.mailbox_id WHERE a.address = :address',
    { address: senderKey(address) },
  )
  return { isInside, language: row?.language ?? null }
}

/** Once a sender in so many days; the same delivery may ask again. */
async function claimSender(db: Database, row: Row, { days }: AutomaticReply, now: Date): Promise<boolean> {
  const given = {
    mailboxId: row.mailbox_id,
    address: senderKey(row.envelope_from).slice(0, 320),
    deliveryId: row.id,
    now,
    since: new Date(now.getTime() - days * day),
  }
  return inTransaction(db, async tx => {
    await execute(
      db,
      `INSERT INTO automatic_replies_sent (mailbox_id, address, at, delivery_id) VALUES (:mailboxId, :address, :now, :deliveryId)
       ON DUPLICATE KEY UPDATE delivery_id = IF(at <= :since, VALUES(delivery_id), delivery_id),
         sent_at = IF(at <= :since, NULL, sent_at), at = IF(at <= :since, VALUES(at), at)`,
      given,
      tx,
    )
    const held = await findRow<{ delivery_id: number; sent_at: Date | null }>(
      db,
      'SELECT delivery_id, sent_at FROM automatic_replies_sent WHERE mailbox_id = :mailboxId AND address = :address FOR UPDATE',
      given,
      tx,
    )
    return held?.delivery_id === row.id && held.sent_at === null
  })
}

interface Composing {
  readonly words: { readonly subject: string; readonly text: string }
  readonly to: { readonly name: string; readonly address: string }
  /** Message-IDs it refers to, oldest first. */
  readonly thread: readonly string[]
  readonly id: string
  readonly date: Date
}

/** The bytes of a reply: from the mailbox itself, marked as automatic (RFC 3834 §3.1, §5). */
export const composeReply = (
  organisation: Organisation,
  { name, address, language }: MailboxRow,
  { words, to, thread, id, date }: Composing,
): Promise<Buffer> =>
  composeOwnMail(organisation, {
    from: { name, address },
    language,
    to,
    subject: words.subject,
    text: `${words.text}\n`,
    date,
    id,
    automatic: 'auto-replied',
    answers: thread,
  })
