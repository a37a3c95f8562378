import { undecidedSql } from '../deliveries/states-sql.ts'
import type { DigestPreview } from '@pendro/contract'
import { nextDigest } from '@pendro/core/digest'
import { select, type Database } from '../db/database.ts'
import { findAll } from '../db/rows.ts'
import { Digests } from '../db/models/digests.ts'
import {
  digestSchedule,
  findMailboxRow,
  readOrganisation,
  type MailboxRow,
  type Organisation,
} from '../db/organisation.ts'
import { awayTimes, waitsOf } from '../deliveries/expiry.ts'
import { AppError } from '../errors.ts'
import { ownSender } from '../outbox/own-mail.ts'
import { linkSigner } from './links.ts'
import { spokenLanguage } from '../wording.ts'
import { beginning, compose, endingLines, waitingLines, windowOf } from './digests.ts'

/** Stands in a preview where a reference will be. */
const placeholder = '\u2022\u2022\u2022-\u2022\u2022\u2022'

/** The digest as a colleague would get it now, and the ones that went before. */
export async function previewDigest(
  db: Database,
  mailboxId: number,
  { now, publicUrl, language }: { now: Date; publicUrl: string; language?: string },
): Promise<DigestPreview> {
  const found = await findMailboxRow(db, mailboxId)
  if (!found) throw new AppError('MAILBOX_NOT_FOUND')
  const mailbox = { ...found, language: language ?? found.language }
  const organisation = await readOrganisation(db)
  const window = await windowOf(db, mailboxId, now)
  const [rows, ending] = await Promise.all([
    waitingLines(db, mailboxId, now),
    endingLines(db, mailbox, 'digest', now),
  ])
  // References are given when the digest is cut; the preview shows where they will stand.
  const { text, listed, leftOut } = compose(
    organisation,
    mailbox,
    { rows, ending },
    { publicUrl, signer: await linkSigner(db, mailboxId) },
    () => placeholder,
  )
  const waits = waitsOf((await awayTimes(db, [mailboxId])).get(mailboxId))
  const schedule = digestSchedule(mailbox, organisation, waits)
  const next = nextDigest(schedule, now.getTime())
  return {
    mailbox: {
      id: mailbox.id,
      name: mailbox.name,
      address: mailbox.address,
      department: mailbox.department,
      kind: mailbox.kind,
      kept: listed + leftOut,
      nextListed: listed,
      nextLeftOut: leftOut,
    },
    language: mailbox.language,
    ownLanguage: spokenLanguage(found.language) as DigestPreview['ownLanguage'],
    timeZone: mailbox.time_zone,
    since: window.since === beginning ? null : window.since.toISOString(),
    next: next === null ? null : new Date(next).toISOString(),
    schedule: shownSchedule(schedule, mailbox),
    listed,
    leftOut,
    watched: await watchedSince(db, mailboxId, window.since),
    lines: rows.filter(row => row.left_out === 0 || row.leave_out === 1).map(shownLine),
    message: text && {
      from: senderName(organisation, mailbox.language),
      to: `${mailbox.name} <${mailbox.address}>`,
      subject: text.subject,
      text: text.text,
      html: text.html,
    },
    changed: await ruledSince(db, mailboxId, window.since),
    sent: await lastSent(db, mailboxId),
  }
}

const shownSchedule = (
  { times, weekdays }: ReturnType<typeof digestSchedule>,
  { digest_times, digest_weekdays }: Pick<MailboxRow, 'digest_times' | 'digest_weekdays'>,
): DigestPreview['schedule'] => ({
  times: [...times],
  weekdays: [...weekdays],
  usual: digest_times === null && digest_weekdays === null,
})

/** As many as a person looks at. */
const mostWatched = 50

/** What would have been kept back, had mail been held; it all went on. */
async function watchedSince(db: Database, mailboxId: number, since: Date): Promise<DigestPreview['watched']> {
  const rows = await select<{
    id: number
    from_name: string
    from_address: string
    subject: string
    would: DigestPreview['watched']['lines'][number]['would']
    n: number
  }>(
    db,
    `SELECT id, from_name, from_address, subject, would, COUNT(*) OVER () AS n FROM deliveries
     WHERE mailbox_id = :mailboxId AND would IS NOT NULL AND received_at > :since ORDER BY id DESC LIMIT :mostWatched`,
    { mailboxId, since, mostWatched },
  )
  return {
    count: rows[0]?.n ?? 0,
    lines: rows.map(row => ({
      deliveryId: row.id,
      from: row.from_name || row.from_address,
      subject: row.subject,
      would: row.would,
    })),
  }
}

const shownLine = (row: Awaited<ReturnType<typeof waitingLines>>[number]) => ({
  deliveryId: row.id,
  from: row.from_name || row.from_address,
  subject: row.subject,
  leaveOut: row.leave_out === 1,
  note: row.note,
})

async function lastSent(db: Database, mailboxId: number): Promise<DigestPreview['sent']> {
  const rows = await findAll(
    db,
    Digests,
    { mailbox_id: mailboxId },
    { columns: ['id', 'cut', 'listed', 'left_out', 'state', 'problem'], order: [['id', 'DESC']], limit: 10 },
  )
  return rows.map(({ cut, left_out, ...row }) => ({ ...row, at: cut.toISOString(), leftOut: left_out }))
}

/** As a mail program shows it. */
function senderName(organisation: Organisation, language: string): string {
  const { name, address } = ownSender(organisation, language)
  return `${name} <${address}>`
}

/** What was ruled on since the last digest: lines of that one, and mail that will be in none. */
async function ruledSince(db: Database, mailboxId: number, since: Date): Promise<DigestPreview['changed']> {
  const rows = await select<{
    id: number
    from_name: string
    from_address: string
    subject: string
    state: DigestPreview['changed'][number]['state']
    listed: number
    staffer: string | null
  }>(
    db,
    `SELECT d.id, d.from_name, d.from_address, d.subject, d.state, d.digest_id IS NOT NULL AS listed, s.name AS staffer
     FROM deliveries d JOIN ruling_deliveries x ON x.delivery_id = d.id JOIN rulings r ON r.id = x.ruling_id
     LEFT JOIN staffers s ON s.id = r.staffer_id
     WHERE d.mailbox_id = :mailboxId AND d.state IN ('released', 'discarded', 'deferred', 'bounced')
       AND r.at > :since AND r.undone_at IS NULL AND x.from_state IN ${undecidedSql} AND x.from_state <> x.to_state
     ORDER BY r.id DESC LIMIT 20`,
    { mailboxId, since },
  )
  return rows.map(row => ({
    deliveryId: row.id,
    from: row.from_name || row.from_address,
    subject: row.subject,
    state: row.state,
    wasListed: row.listed === 1,
    by: row.staffer ?? '',
  }))
}
