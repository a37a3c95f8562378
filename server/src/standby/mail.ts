import type { StandbyItem, StandbyPage, StandbySheet } from '@pendro/contract'
import { decodeWords, parseMailboxes } from '@pendro/core/address'
import { execute, findRow, select, type Database } from '../db/database.ts'
import { AppError } from '../errors.ts'
import { unpack } from '../outbox/source.ts'
import type { Reader } from '../reading/reader.ts'
import { findReading } from '../reading/reading.ts'
import { standbyOf, unfinished, waitingSql } from './open.ts'
import { lettersOf } from './letters.ts'

/** A message that waits for a mail store: a delivery, or what another colleague sent. */
export interface Key {
  readonly kind: 'delivery' | 'relay'
  readonly id: number
}

/** 'd12', 'r7'; `null` for none. */
export function readKey(text: string): Key | null {
  const [, kind, id] = /^([dr])(\d{1,15})$/.exec(text) ?? []
  return kind === undefined ? null : { kind: kind === 'd' ? 'delivery' : 'relay', id: Number(id) }
}

const keyText = ({ kind, id }: Key): string => `${kind === 'delivery' ? 'd' : 'r'}${id}`

/** Messages of one page; who has more waiting reads the newest first. */
const most = 500

interface ItemRow {
  readonly kind: Key['kind']
  readonly id: number
  readonly received_at: Date
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly attachments: number
  readonly seen_at: Date | null
  readonly answered_at: Date | null
}

const nothing: StandbyPage = {
  state: 'closed',
  since: null,
  waiting: 0,
  unfiled: 0,
  items: [],
  drafts: [],
  sent: [],
}

/** A store that nobody reaches may go on taking mail; what it took since is read here all the same. */
const meanwhileSql = "d.received_at >= :since AND d.state IN ('inbox', 'aside', 'moved', 'released')"
/** Later than anything: without an outage nothing came meanwhile. */
const noMoment = new Date('9999-01-01')

/** What waits for a colleague, and what they have written meanwhile. */
export async function standbyPage(db: Database, mailboxId: number, now: Date): Promise<StandbyPage> {
  const { mailbox, outage, isOn } = await standbyOf(db, mailboxId, now)
  if (!isOn) return nothing
  const [left, rows, letters] = await Promise.all([
    unfinished(db, mailbox),
    select<ItemRow>(
      db,
      `SELECT w.*, k.seen_at, k.answered_at FROM (
         SELECT 'delivery' AS kind, d.id, d.received_at, d.from_name, d.from_address, d.subject, d.attachments
         FROM deliveries d WHERE d.mailbox_id = :mailboxId AND (${waitingSql} OR ${meanwhileSql})
         UNION ALL
         SELECT 'relay', r.id, m.received_at, m.from_name, m.from_address, m.subject, 0
         FROM relays r JOIN messages m ON m.id = r.message_id WHERE r.recipient = :address AND (r.state = 'waiting' OR r.state = 'taken' AND m.received_at >= :since)
       ) w LEFT JOIN standby_marks k ON k.mailbox_id = :mailboxId AND k.kind = w.kind AND k.subject_id = w.id
       ORDER BY w.received_at DESC, w.id DESC LIMIT ${most}`,
      { mailboxId, address: mailbox.address, since: outage?.since ?? noMoment },
    ),
    lettersOf(db, mailboxId),
  ])
  const isBack = outage === null
  return {
    state: !isBack
      ? 'open'
      : left.waiting + left.unfiled + letters.drafts.length > 0
        ? 'handing-back'
        : 'closed',
    since: outage?.since.toISOString() ?? null,
    ...left,
    items: rows.map(toItem),
    ...letters,
  }
}

const toItem = (row: ItemRow): StandbyItem => ({
  key: keyText(row),
  at: row.received_at.toISOString(),
  fromName: row.from_name,
  fromAddress: row.from_address,
  subject: row.subject,
  attachments: row.attachments,
  opened: row.seen_at !== null,
  answered: row.answered_at !== null,
})

interface Found {
  readonly message_id: number
  readonly gzip: Buffer
  readonly size: number
  readonly received_at: Date
}

/** The message behind a key, for the colleague it waits for; anybody else’s is told as little as that it exists. */
export async function findWaiting(
  db: Database,
  mailboxId: number,
  key: string,
): Promise<Key & { readonly messageId: number; readonly raw: Buffer; readonly at: Date }> {
  const read = readKey(key)
  const row =
    read &&
    (await findRow<Found>(
      db,
      read.kind === 'delivery'
        ? `SELECT d.message_id, s.gzip, m.size, m.received_at FROM deliveries d JOIN messages m ON m.id = d.message_id
           JOIN message_sources s ON s.message_id = m.id WHERE d.id = :id AND d.mailbox_id = :mailboxId AND d.state NOT IN ('sealed', 'inspecting', 'quarantined', 'junk', 'discarded')`
        : `SELECT r.message_id, s.gzip, m.size, m.received_at FROM relays r JOIN messages m ON m.id = r.message_id
           JOIN message_sources s ON s.message_id = m.id JOIN mailboxes b ON b.address = r.recipient
           WHERE r.id = :id AND b.id = :mailboxId`,
      { id: read.id, mailboxId },
    ))
  if (!read || !row) throw new AppError('DELIVERY_NOT_FOUND')
  return { ...read, messageId: row.message_id, raw: await unpack(row), at: row.received_at }
}

const addressesIn = (value: string | undefined): string[] =>
  parseMailboxes(value ?? '')
    .map(({ text }) => text)
    .filter(text => text.includes('@'))
    .slice(0, 100)

/** One message, opened: it counts as read at the mail store, too, when that is back. */
export async function openItem(
  db: Database,
  mailboxId: number,
  key: string,
  { now, read }: { readonly now: Date; readonly read: Reader['read'] },
): Promise<StandbySheet> {
  const found = await findWaiting(db, mailboxId, key)
  const reading = await findReading(db, found.messageId, read)
  await execute(
    db,
    `INSERT IGNORE INTO standby_marks (mailbox_id, kind, subject_id, seen_at, next_at) VALUES (:mailboxId, :kind, :id, :now, :now)`,
    { mailboxId, kind: found.kind, id: found.id, now },
  )
  const field = (name: string) => reading?.headers.find(header => header.name.toLowerCase() === name)?.value
  const from = parseMailboxes(field('from') ?? '')[0]
  const replyTo = addressesIn(field('reply-to'))
  return {
    key,
    at: found.at.toISOString(),
    subject: decodeWords(field('subject') ?? ''),
    fromName: from?.name ?? '',
    fromAddress: from?.text ?? '',
    to: addressesIn(field('to')),
    cc: addressesIn(field('cc')),
    replyTo: replyTo.length > 0 ? replyTo : addressesIn(field('from')),
    attachments: (reading?.attachments ?? []).flatMap(({ name, size, danger, inline }, place) =>
      inline ? [] : [{ place, name, size, danger }],
    ),
    text: await textOf(found.raw, read),
  }
}

/** Letters of a text that is answered; more nobody quotes. */
const mostQuoted = 20_000

/** The words of a message, to be quoted (RFC 3676 §4.5 has the mark for it). */
async function textOf(raw: Buffer, read: Reader['read']): Promise<string> {
  const { parsed } = await read(raw)
  return parsed.ok ? parsed.value.text.slice(0, mostQuoted) : ''
}

/** An attachment that was looked at and found harmless; its bytes and its name. */
export async function attachmentOf(
  db: Database,
  mailboxId: number,
  key: string,
  { place, reader }: { readonly place: number; readonly reader: Pick<Reader, 'read' | 'attachment'> },
): Promise<{ readonly name: string; readonly content: Buffer }> {
  const found = await findWaiting(db, mailboxId, key)
  const reading = await findReading(db, found.messageId, reader.read)
  const attachment = reading?.attachments[place]
  if (!attachment) throw new AppError('DELIVERY_NOT_FOUND')
  if (attachment.danger !== null) throw new AppError('ATTACHMENT_HARMFUL')
  const content = await reader.attachment({ raw: found.raw, place })
  if (!content) throw new AppError('SOURCE_GONE')
  return { name: attachment.name, content: Buffer.from(content) }
}
