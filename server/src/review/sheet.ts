import { lastDayOf } from './keep.ts'
import { Op } from 'sequelize'
import { hasArrived } from '@pendro/core/delivery'
import type { DeliverySheet } from '@pendro/contract'
import { provenance } from '@pendro/core/judgement'
import { displayDomain } from '@pendro/core/address'
import { pretence } from '@pendro/core/message'
import { findUnsubscribe, type SenderFacts } from '@pendro/core/senders'
import { findRow, inTransaction, select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Mailboxes } from '../db/models/organisation.ts'
import type { Scope } from '../db/scope.ts'
import { exists, findOne, update } from '../db/rows.ts'
import { RecordEntries } from '../db/models/record.ts'
import { type Deliveries, type DeliveryJudgements, Outbox } from '../db/models/deliveries.ts'
import { Inspections, MessageReadings, type Messages } from '../db/models/messages.ts'
import { AppError } from '../errors.ts'
import type { Reader } from '../reading/reader.ts'
import { pointsOf, shownEvidence } from '../judging/judge.ts'
import { findReading, type Reading } from '../reading/reading.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { readAlike } from './alike.ts'
import { findDelivery, toReviewRow } from './queries.ts'
import { findSource } from './safe-view.ts'

interface SheetRow
  extends
    Pick<RowOf<typeof DeliveryJudgements>, 'evidence' | 'path'>,
    Pick<RowOf<typeof Messages>, 'envelope_from' | 'size' | 'sender_facts' | 'unreadable'>,
    Pick<RowOf<typeof Deliveries>, 'address_used' | 'kept_until'>,
    Pick<RowOf<typeof Mailboxes>, 'time_zone'> {
  readonly mailbox_address: string
}

/** Everything the sheet shows of one delivery. */
export async function readSheet(
  db: Database,
  who: SignedIn,
  id: number,
  { now, reader }: { now: Date; reader: Reader },
): Promise<DeliverySheet> {
  const row = await findDelivery(db, id)
  const more = await findRow<SheetRow>(
    db,
    `SELECT d.address_used, d.kept_until, b.address AS mailbox_address, b.time_zone, m.envelope_from, m.size, m.sender_facts, m.unreadable, j.evidence, j.path
     FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id JOIN messages m ON m.id = d.message_id
     JOIN delivery_judgements j ON j.delivery_id = d.id WHERE d.id = :id`,
    { id },
  )
  if (!row || !more) throw new AppError('DELIVERY_NOT_FOUND')
  const asksWhy = hasArrived(row.state) && !(await hasReadLately(db, who, id, now))
  // What is no longer kept for one colleague may still be for another.
  const reading = row.state === 'expired' ? null : await findReading(db, row.message_id, reader.read)
  const [history, waiting, inspection, words, alike] = await Promise.all([
    readHistory(db, id, who.scope),
    readWaiting(db, id),
    readInspection(db, row.message_id),
    reading && !asksWhy ? findPdfWords(db, id, reading, reader) : [],
    readAlike(db, who.scope, { messageId: row.message_id, clusterKey: row.cluster_key }),
  ])
  const { kind, ...origin } = provenance(more.sender_facts)
  return {
    row: toReviewRow(row),
    addressUsed: more.address_used,
    mailboxAddress: more.mailbox_address,
    mailboxTimeZone: more.time_zone,
    keptUntil: lastDayOf(more.kept_until, more.time_zone),
    to: [...(reading?.to ?? [])],
    replyTo: reading?.replyTo ?? '',
    envelopeFrom: more.envelope_from,
    listId: more.sender_facts.listId ?? '',
    fromDomain: displayDomain(more.sender_facts.from[0]?.domain ?? ''),
    size: more.size,
    evidence: more.evidence.map(shownEvidence),
    path: [...more.path],
    pointsWhy: pointsOf({ score: row.score, evidence: more.evidence, path: more.path }).why,
    body: reading && bodyFacts(reading, asksWhy),
    unreadable: more.unreadable !== null,
    asksWhy,
    attachments: shownAttachments(reading, words),
    provenance: { kind, facts: origin },
    checks: checksOf(more.sender_facts),
    unsubscribe: wayOut(reading, more.sender_facts),
    inspection,
    alike,
    headers: reading?.headers.map(({ name, value }) => ({ name, value })) ?? [],
    history,
    waiting,
  }
}

function checksOf({ authentication }: SenderFacts): DeliverySheet['checks'] {
  if (!authentication?.by) return { by: 'nobody', lines: [] }
  const { by, dmarc, spf, dkim, arc } = authentication
  const line = (
    method: 'dmarc' | 'spf' | 'dkim' | 'arc',
    { result, domain }: { result: string; domain: string },
  ) => ({
    method,
    result,
    domain: displayDomain(domain),
  })
  return {
    by,
    lines: [
      line('dmarc', dmarc),
      line('spf', spf),
      ...dkim.slice(0, 8).map(one => line('dkim', one)),
      ...(arc ? [line('arc', { result: arc.result, domain: arc.sealer })] : []),
    ],
  }
}

function wayOut(reading: Reading | null, facts: SenderFacts): DeliverySheet['unsubscribe'] {
  const found = reading ? findUnsubscribe(reading.headers, facts) : ({ kind: 'none' } as const)
  switch (found.kind) {
    case 'none':
      return { kind: 'none', why: '', to: '' }
    case 'by-hand':
      return { kind: 'by-hand', why: found.why, to: found.to }
    case 'one-click':
      return { kind: 'one-click', why: '', to: new URL(found.url).host }
  }
}

const isPdf = ({ trueType }: { trueType: string }) => trueType === 'application/pdf'

/** The words of each PDF, in the order of the PDFs; read once, and kept beside the reading. */
async function findPdfWords(
  db: Database,
  id: number,
  { attachments }: Reading,
  reader: Reader,
): Promise<readonly (string | null)[]> {
  if (!attachments.some(isPdf)) return []
  const kept = await findRow<{ message_id: number; pdf_words: (string | null)[] | null }>(
    db,
    'SELECT r.message_id, r.pdf_words FROM deliveries d JOIN message_readings r ON r.message_id = d.message_id WHERE d.id = :id',
    { id },
  )
  if (kept?.pdf_words) return kept.pdf_words
  const raw = await findSource(db, id)
  if (!raw) return []
  const words = await reader.pdfWords(raw)
  if (kept) await update(db, MessageReadings, { pdf_words: words }, { message_id: kept.message_id })
  return words
}

function shownAttachments(
  reading: Reading | null,
  words: readonly (string | null)[],
): DeliverySheet['attachments'] {
  const pdfs = reading?.attachments.filter(isPdf) ?? []
  return (reading?.attachments ?? [])
    .filter(({ inline }) => !inline)
    .map(attachment => {
      const { name, declaredType, trueType, size, danger, note } = attachment
      return {
        name,
        declaredType,
        trueType,
        pretends: pretence(attachment),
        size,
        danger,
        note,
        words: words[pdfs.indexOf(attachment)] ?? '',
      }
    })
}

async function readInspection(db: Database, messageId: number): Promise<DeliverySheet['inspection']> {
  const row = await findOne(
    db,
    Inspections,
    { message_id: messageId },
    { columns: ['done_at', 'verdict', 'problem'] },
  )
  return row && { done: row.done_at !== null, verdict: row.verdict ?? '', problem: row.problem }
}

function bodyFacts(reading: Reading, asksWhy: boolean): DeliverySheet['body'] {
  const { hasHtml, linksDisarmed, picturesLeftOut, remotePictures, hiddenText, lines = 40 } = reading
  return {
    hasHtml,
    linksDisarmed,
    picturesLeftOut,
    remotePictures,
    hiddenText: asksWhy ? '' : hiddenText,
    lines,
  }
}

/** A ruling on mail of many names one of it, which may be of a department that is not theirs. */
const unnamed = (facts: Readonly<Record<string, unknown>>) =>
  Object.fromEntries(['subject', 'from', 'patterns'].filter(key => key in facts).map(key => [key, '']))

async function readHistory(db: Database, id: number, scope: Scope): Promise<DeliverySheet['history']> {
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
    facts: scope === null ? row.facts : { ...row.facts, ...unnamed(row.facts) },
  }))
}

async function readWaiting(db: Database, id: number): Promise<DeliverySheet['waiting']> {
  const row = await findOne(
    db,
    Outbox,
    { kind: 'delivery', subject_id: id, done_at: null },
    { columns: ['attempts', 'next_at', 'problem'] },
  )
  return row && { attempts: row.attempts, nextAt: row.next_at.toISOString(), problem: row.problem }
}

const readAgainAfter = 30 * 60_000

/** Mail in a colleague's mailbox is theirs; what is held back is the help desk's to look at. */

function hasReadLately(db: Database, who: SignedIn, id: number, now: Date): Promise<boolean> {
  return exists(db, RecordEntries, {
    delivery_id: id,
    act: 'read',
    by_id: who.staffer.id,
    at: { [Op.gt]: new Date(now.getTime() - readAgainAfter) },
  })
}

/** Notes that a staffer opened a colleague's message; once in half an hour is enough. */
export async function noteReading(
  db: Database,
  who: SignedIn,
  id: number,
  now: Date,
  why: { readonly reason: string; readonly enquiry: number } | null = null,
): Promise<void> {
  if (why === null && (await hasReadLately(db, who, id, now))) return
  const delivery = await findDelivery(db, id)
  if (!delivery) throw new AppError('DELIVERY_NOT_FOUND')
  if (why === null && hasArrived(delivery.state)) throw new AppError('SAY_WHY')
  await inTransaction(db, tx =>
    writeRecord(db, tx, [
      {
        at: now,
        act: 'read',
        by: actor(who),
        mailboxId: delivery.mailbox_id,
        deliveryId: id,
        reason: why?.reason ?? '',
        facts: { subject: delivery.subject, from: delivery.from_address, enquiry: why?.enquiry ?? 0 },
      },
    ]),
  )
}
