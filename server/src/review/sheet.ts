import { gunzipSync } from 'node:zlib'
import type { DeliverySheet, PathLineShape } from '@pendro/contract'
import type { Evidence } from '@pendro/core/judgement'
import { displayDomain } from '@pendro/core/address'
import { embeddedPictures, parseMessage, safeTextView, safeView, type Message } from '@pendro/core/message'
import type { SenderFacts } from '@pendro/core/senders'
import { findRow, inTransaction, select, type Database } from '../db/database.ts'
import { AppError } from '../errors.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { findDelivery, toReviewRow } from './queries.ts'

interface SheetRow {
  readonly address_used: string
  readonly mailbox_address: string
  readonly time_zone: string
  readonly envelope_from: string
  readonly size: number
  readonly sender_facts: SenderFacts
  readonly unreadable: string | null
  readonly evidence: Evidence[]
  readonly path: PathLineShape[]
}

/** Everything the sheet shows of one delivery. */
export async function readSheet(db: Database, id: number): Promise<DeliverySheet> {
  const row = await findDelivery(db, id)
  const more = await findRow<SheetRow>(
    db,
    `SELECT d.address_used, b.address AS mailbox_address, b.time_zone, m.envelope_from, m.size, m.sender_facts, m.unreadable, j.evidence, j.path
     FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id JOIN messages m ON m.id = d.message_id
     JOIN delivery_judgements j ON j.delivery_id = d.id WHERE d.id = :id`,
    { id },
  )
  if (!row || !more) throw new AppError('DELIVERY_NOT_FOUND')
  const raw = await findSource(db, id)
  const parsed = raw ? await parseMessage(raw) : null
  const message = parsed?.ok ? parsed.value : null
  const [history, waiting] = await Promise.all([readHistory(db, id), readWaiting(db, id)])
  return {
    row: toReviewRow(row),
    addressUsed: more.address_used,
    mailboxAddress: more.mailbox_address,
    mailboxTimeZone: more.time_zone,
    to: message?.to.map(({ text }) => text) ?? [],
    replyTo: message?.replyTo[0]?.text ?? '',
    envelopeFrom: more.envelope_from,
    listId: more.sender_facts.listId ?? '',
    fromDomain: displayDomain(more.sender_facts.from[0]?.domain ?? ''),
    size: more.size,
    evidence: more.evidence.map(({ finding, weight, facts }) => ({ finding, weight, facts: { ...facts } })),
    path: more.path,
    body: message && bodyFacts(message),
    unreadable: more.unreadable !== null,
    attachments:
      message?.attachments
        .filter(a => !a.inline)
        .map(({ name, declaredType, trueType, size, danger }) => ({
          name,
          declaredType,
          trueType,
          size,
          danger,
        })) ?? [],
    headers: message?.headers.map(({ name, value }) => ({ name, value })) ?? [],
    history,
    waiting,
  }
}

function bodyFacts(message: Message): DeliverySheet['body'] {
  // Counted on the same sanitised text the frame shows; embedded pictures are not needed for that.
  const view = message.html === null ? null : safeView(message.html, new Map())
  const embedded = message.attachments.filter(a => a.contentId !== null).length
  return {
    hasHtml: message.html !== null,
    linksDisarmed: view?.linksDisarmed ?? message.links.length,
    picturesLeftOut: Math.max(0, (view?.picturesLeftOut ?? 0) - embedded),
    hiddenText: message.hiddenText.slice(0, 2000),
  }
}

async function readHistory(db: Database, id: number): Promise<DeliverySheet['history']> {
  const rows = await select<{
    at: Date
    act: string
    by_name: string
    reason: string
    ruling_id: number | null
    facts: Record<string, string | number>
  }>(
    db,
    `SELECT at, act, by_name, reason, ruling_id, facts FROM record_entries WHERE delivery_id = :id AND act <> 'read'
     UNION
     SELECT r.at, r.act, r.by_name, r.reason, r.ruling_id, r.facts FROM ruling_deliveries x
       JOIN record_entries r ON r.ruling_id = x.ruling_id WHERE x.delivery_id = :id AND r.delivery_id IS NULL
     ORDER BY at`,
    { id },
  )
  return rows.map(row => ({
    at: row.at.toISOString(),
    act: row.act,
    by: row.by_name,
    reason: row.reason,
    rulingId: row.ruling_id,
    facts: row.facts,
  }))
}

async function readWaiting(db: Database, id: number): Promise<DeliverySheet['waiting']> {
  const row = await findRow<{ attempts: number; next_at: Date; problem: string }>(
    db,
    "SELECT attempts, next_at, problem FROM outbox WHERE kind = 'delivery' AND subject_id = :id AND done_at IS NULL",
    { id },
  )
  return row && { attempts: row.attempts, nextAt: row.next_at.toISOString(), problem: row.problem }
}

/** The raw bytes of a delivery's message, or `null` when they have gone away. Throws for an unknown delivery. */
export async function findSource(db: Database, id: number): Promise<Buffer | null> {
  const row = await findRow<{ gzip: Buffer | null }>(
    db,
    'SELECT s.gzip FROM deliveries d LEFT JOIN message_sources s ON s.message_id = d.message_id WHERE d.id = :id',
    { id },
  )
  if (!row) throw new AppError('DELIVERY_NOT_FOUND')
  return row.gzip && gunzipSync(row.gzip)
}

/** The message as a page of its own for the sandboxed frame: nothing in it can run, load or lead anywhere. */
export async function readSafeView(db: Database, id: number, form: 'html' | 'text'): Promise<string> {
  const raw = await findSource(db, id)
  if (!raw) throw new AppError('SOURCE_GONE')
  const parsed = await parseMessage(raw)
  // What can't be read is shown as it came.
  if (!parsed.ok) return page(safeTextView(raw.toString('latin1').slice(0, 200_000)))
  const { html, text } = parsed.value
  if (form === 'html' && html !== null) return page(safeView(html, await embeddedPictures(raw)).html)
  return page(safeTextView(text))
}

export const safeViewPolicy =
  "default-src 'none'; img-src data:; style-src 'unsafe-inline'; sandbox; frame-ancestors 'self'"

const frameStyle = `
  html { color-scheme: light }
  body { margin: 0; padding: 16px 18px; font: 14px/1.55 system-ui, sans-serif; color: #1E2A30; background: #fff; overflow-wrap: anywhere }
  pre { font: inherit; white-space: pre-wrap; margin: 0 }
  img { max-width: 100%; height: auto }
  table { max-width: 100% }
  [data-target] { border-bottom: 1px dashed #52606A }
  [data-target]::after { content: ' \\2192  ' attr(data-target); font: 12.5px ui-monospace, monospace; color: #52606A }
`

function page(body: string): string {
  return `<!doctype html><html><head><meta charset="utf-8"><style>${frameStyle}</style></head><body>${body}</body></html>`
}

const readAgainAfter = 30 * 60_000

/** Notes that a staffer opened a colleague's message; once in half an hour is enough. */
export async function noteReading(db: Database, who: SignedIn, id: number, now: Date): Promise<void> {
  const recent = await findRow(
    db,
    "SELECT 1 AS yes FROM record_entries WHERE delivery_id = :id AND act = 'read' AND by_id = :by AND at > :since LIMIT 1",
    { id, by: who.staffer.id, since: new Date(now.getTime() - readAgainAfter) },
  )
  if (recent) return
  const delivery = await findDelivery(db, id)
  if (!delivery) throw new AppError('DELIVERY_NOT_FOUND')
  await inTransaction(db, tx =>
    writeRecord(db, tx, [
      {
        at: now,
        act: 'read',
        by: actor(who),
        mailboxId: delivery.mailbox_id,
        deliveryId: id,
        facts: { subject: delivery.subject, from: delivery.from_address },
      },
    ]),
  )
}
