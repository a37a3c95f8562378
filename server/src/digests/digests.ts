import MailComposer from 'nodemailer/lib/mail-composer'
import type { DigestPreview } from '@pendro/contract'
import { composeDigest, type DigestLine, type DigestText } from '@pendro/core/digest'
import {
  findRow,
  inTransaction,
  insert,
  isDuplicate,
  select,
  type Database,
  type Tx,
} from '../db/database.ts'
import { findMailboxRow, readOrganisation, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { spokenLanguage, translator } from '../wording.ts'

interface Window {
  /** After this moment; the digest before ended there. */
  readonly since: Date
  /** Up to and with this moment. */
  readonly cut: Date
}

/** What a digest of a window holds. */
interface Content {
  readonly text: DigestText | null
  readonly listed: number
  readonly leftOut: number
}

const beginning = new Date(0)

async function windowOf(db: Database, mailboxId: number, cut: Date, tx?: Tx): Promise<Window> {
  const last = await findRow<{ cut: Date | null }>(
    db,
    'SELECT MAX(cut) AS cut FROM digests WHERE mailbox_id = :mailboxId',
    { mailboxId },
    tx,
  )
  return { since: last?.cut ?? beginning, cut }
}

interface LineRow {
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly received_at: Date
  readonly expires_at: Date
  readonly left_out: number
  readonly reasons: { finding: string }[]
}

/** What is still kept back of (since, cut]; what somebody ruled on is in another state by now. */
async function composeFor(
  db: Database,
  organisation: Organisation,
  mailbox: MailboxRow,
  { since, cut }: Window,
  tx?: Tx,
): Promise<Content> {
  const rows = await select<LineRow>(
    db,
    `SELECT from_name, from_address, subject, received_at, expires_at, left_out, reasons FROM deliveries
     WHERE mailbox_id = :id AND state IN ('quarantined', 'junk') AND received_at > :since AND received_at <= :cut
     ORDER BY score, id`,
    { id: mailbox.id, since, cut },
    tx,
  )
  const t = translator(mailbox.language)
  const lines = rows
    .filter(row => row.left_out === 0)
    .map((row): DigestLine => ({
      name: row.from_name,
      address: row.from_address,
      subject: row.subject,
      receivedAt: row.received_at.getTime(),
      reason: t(`held.${row.reasons[0]?.finding ?? 'words-junk'}`),
    }))
  const leftOut = rows.filter(row => row.left_out === 1)
  const leftOutUntil = leftOut.length === 0 ? null : Math.max(...leftOut.map(row => row.expires_at.getTime()))
  const text = composeDigest(
    {
      colleague: mailbox.name,
      organisation: organisation.name,
      language: spokenLanguage(mailbox.language),
      timeZone: mailbox.time_zone,
      lines,
      leftOut: leftOut.length,
      leftOutUntil,
    },
    t,
  )
  return { text, listed: lines.length, leftOut: leftOut.length }
}

/** The digest as a colleague would get it now, and the ones that went before. */
export async function previewDigest(db: Database, mailboxId: number, now: Date): Promise<DigestPreview> {
  const mailbox = await findMailboxRow(db, mailboxId)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const organisation = await readOrganisation(db)
  const window = await windowOf(db, mailboxId, now)
  const { text, listed, leftOut } = await composeFor(db, organisation, mailbox, window)
  const sent = await select<{
    id: number
    cut: Date
    listed: number
    left_out: number
    state: string
    problem: string
  }>(
    db,
    'SELECT id, cut, listed, left_out, state, problem FROM digests WHERE mailbox_id = :mailboxId ORDER BY id DESC LIMIT 10',
    { mailboxId },
  )
  return {
    mailbox: {
      id: mailbox.id,
      name: mailbox.name,
      address: mailbox.address,
      department: mailbox.department,
      kind: mailbox.kind,
      kept: listed + leftOut,
    },
    language: mailbox.language,
    timeZone: mailbox.time_zone,
    since: window.since === beginning ? null : window.since.toISOString(),
    listed,
    leftOut,
    message: text && {
      from: senderName(organisation),
      to: `${mailbox.name} <${mailbox.address}>`,
      subject: text.subject,
      text: text.text,
      html: text.html,
    },
    sent: sent.map(row => ({
      id: row.id,
      at: row.cut.toISOString(),
      listed: row.listed,
      leftOut: row.left_out,
      state: row.state,
      problem: row.problem,
    })),
  }
}

const senderName = ({ name, digestAddress }: Organisation) => `Pendro for ${name} <${digestAddress}>`

/** Cuts the digest now and queues it; two at once can't cut the same window. */
export async function sendDigest(
  db: Database,
  who: SignedIn,
  mailboxId: number,
  now: Date,
): Promise<{ digestId: number; listed: number; leftOut: number }> {
  try {
    return await inTransaction(db, async tx => {
      const mailbox = await findMailboxRow(db, mailboxId, tx)
      if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
      const organisation = await readOrganisation(db, tx)
      const window = await windowOf(db, mailboxId, now, tx)
      const { text, listed, leftOut } = await composeFor(db, organisation, mailbox, window, tx)
      if (!text) throw new AppError('NOTHING_TO_SEND')
      const source = await buildMessage(organisation, mailbox, text, now)
      const [digestId = 0] = await insert(
        db,
        'digests',
        [
          {
            mailbox_id: mailboxId,
            since: window.since,
            cut: now,
            listed,
            left_out: leftOut,
            state: 'waiting',
            source,
          },
        ],
        tx,
      )
      const readers = await digestReaders(db, tx, mailbox)
      await insert(
        db,
        'outbox',
        readers.map(reader => ({
          kind: 'digest',
          subject_id: digestId,
          place: String(reader),
          next_at: now,
        })),
        tx,
      )
      await writeRecord(db, tx, [
        {
          at: now,
          act: 'digest-sent',
          by: actor(who),
          mailboxId,
          facts: { listed, leftOut, readers: readers.length },
        },
      ])
      await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: who.staffer.name }])
      return { digestId, listed, leftOut }
    })
  } catch (error) {
    if (isDuplicate(error)) throw new AppError('DIGEST_RUNNING')
    throw error
  }
}

/** A shared or list mailbox's digest goes to its minders; everybody else gets their own. */
async function digestReaders(db: Database, tx: Tx, { id, kind }: MailboxRow): Promise<readonly number[]> {
  if (kind === 'person') return [id]
  const minders = await select<{ minder_id: number }>(
    db,
    'SELECT minder_id FROM minders WHERE mailbox_id = :id ORDER BY minder_id',
    { id },
    tx,
  )
  return minders.length > 0 ? minders.map(({ minder_id }) => minder_id) : [id]
}

/** RFC 5322 multipart/alternative with the headers of an automatic message (RFC 3834 §5, RFC 2919). */
function buildMessage(
  organisation: Organisation,
  mailbox: MailboxRow,
  { subject, text, html }: DigestText,
  now: Date,
): Promise<Buffer> {
  const domain = organisation.digestAddress.split('@')[1] ?? 'invalid'
  const composer = new MailComposer({
    from: { name: `Pendro for ${organisation.name}`, address: organisation.digestAddress },
    to: { name: mailbox.name, address: mailbox.address },
    replyTo: organisation.digestAddress,
    subject,
    text,
    html,
    date: now,
    messageId: `<digest-${mailbox.id}-${now.getTime()}@${domain}>`,
    headers: {
      'Auto-Submitted': 'auto-generated',
      'List-Id': `Kept-back mail <digests.${domain}>`,
      Precedence: 'bulk',
    },
  })
  return composer.compile().build()
}
