import { isAway } from '@pendro/core/keeping'
import { undecidedSql } from '../deliveries/states-sql.ts'
import { randomInt } from 'node:crypto'
import {
  composeDigest,
  referenceCount,
  referenceOf,
  type DigestLine,
  type DigestText,
} from '@pendro/core/digest'
import {
  execute,
  findRow,
  inTransaction,
  isDuplicate,
  select,
  type Database,
  type Tx,
} from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { Minders } from '../db/models/organisation.ts'
import { DigestLines, type DigestNotes, Digests } from '../db/models/digests.ts'
import { findAll, findOne, insert, insertOne, update } from '../db/rows.ts'
import { findMailboxRow, readOrganisation, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { awayTimes } from '../deliveries/expiry.ts'
import { noteReminder, reminderOf } from '../deliveries/looks.ts'
import { composeOwnMail, ownDomain, organisationWords } from '../outbox/own-mail.ts'
import { linkSigner, linksOf, type LinkSigner } from './links.ts'
import { enqueue, enqueueWelcomes } from '../outbox/queue.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type AnsweringColleague, type SignedIn } from '../sign-in/sessions.ts'
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

export const beginning = new Date(0)

export async function windowOf(db: Database, mailboxId: number, cut: Date, tx?: Tx): Promise<Window> {
  const last = await findRow<{ cut: Date | null }>(
    db,
    'SELECT MAX(cut) AS cut FROM digests WHERE mailbox_id = :mailboxId',
    { mailboxId },
    tx,
  )
  return { since: last?.cut ?? beginning, cut }
}

interface LineRow
  extends
    Pick<
      RowOf<typeof Deliveries>,
      'id' | 'from_name' | 'from_address' | 'subject' | 'received_at' | 'expires_at' | 'score' | 'reasons'
    >,
    Pick<RowOf<typeof DigestNotes>, 'leave_out' | 'note'> {
  /** Not listed: what the mailbox does not want listed, or a staffer left out. */
  readonly left_out: number
}

/**
 * What is still kept back and in no digest yet; what somebody ruled on is in another state by now. Not asked
 * for by the time of reception alone: what was looked at for a while is older than the cut before.
 */
export function waitingLines(
  db: Database,
  mailboxId: number,
  cut: Date,
  tx?: Tx,
): Promise<readonly LineRow[]> {
  return select<LineRow>(
    db,
    `SELECT d.id, d.from_name, d.from_address, d.subject, d.received_at, d.expires_at, d.score, d.reasons,
       (d.left_out AND NOT b.digest_lists_near_certain) OR (d.state = 'junk' AND NOT b.digest_lists_junk) OR COALESCE(n.leave_out, FALSE) AS left_out, COALESCE(n.leave_out, FALSE) AS leave_out, COALESCE(n.note, '') AS note
     FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id LEFT JOIN digest_notes n ON n.delivery_id = d.id
     WHERE d.mailbox_id = :mailboxId AND d.digest_id IS NULL AND d.state IN ${undecidedSql} AND d.received_at <= :cut
     ORDER BY d.score, d.id ${tx ? 'FOR UPDATE' : ''}`,
    { mailboxId, cut },
    tx,
  )
}

/** Where colleagues reach their own pages, and what their links are signed with. */
interface Pages {
  /** '' where they have none. */
  readonly publicUrl: string
  readonly signer: LinkSigner
}

interface NamedRow extends LineRow {
  readonly reference: string | null
  /** Whether a digest told of it, by name or as one of those left out. */
  readonly told: number
}

/** What is still kept back, with the references it has: what earlier digests named, or just these. */
export function namedBefore(
  db: Database,
  mailboxId: number,
  which: 'named' | readonly number[],
  tx?: Tx,
): Promise<readonly NamedRow[]> {
  return select<NamedRow>(
    db,
    `SELECT d.id, d.from_name, d.from_address, d.subject, d.received_at, d.expires_at, d.score, d.reasons,
       0 AS left_out, FALSE AS leave_out, COALESCE(n.note, '') AS note, l.reference,
       l.delivery_id IS NOT NULL AS told
     FROM deliveries d LEFT JOIN digest_lines l ON l.delivery_id = d.id LEFT JOIN digest_notes n ON n.delivery_id = d.id
     WHERE d.mailbox_id = :mailboxId AND d.state IN ${undecidedSql}
       AND ${which === 'named' ? 'l.reference IS NOT NULL' : 'd.id IN (:ids)'}
     ORDER BY d.score, d.id LIMIT 2000`,
    { mailboxId, ids: which === 'named' ? [] : [0, ...which] },
    tx,
  )
}

export function compose(
  organisation: Organisation,
  mailbox: MailboxRow,
  { rows, ending }: { readonly rows: readonly LineRow[]; readonly ending: readonly LineRow[] },
  { publicUrl, signer }: Pages,
  referenceFor: (deliveryId: number) => string,
): Content {
  const t = translator(mailbox.language)
  const lineOf = (row: LineRow): DigestLine => ({
    name: row.from_name,
    address: row.from_address,
    subject: row.subject,
    receivedAt: row.received_at.getTime(),
    reason: t(`held.${row.reasons[0]?.finding ?? 'words-junk'}`),
    reference: referenceFor(row.id),
    note: row.note,
    links: publicUrl === '' ? null : linksOf(publicUrl, signer, row.id, row.expires_at),
  })
  const lines = rows.filter(row => row.left_out === 0).map(lineOf)
  const leftOut = rows.filter(row => row.left_out === 1)
  const leftOutUntil = leftOut.length === 0 ? null : Math.max(...leftOut.map(row => row.expires_at.getTime()))
  const text = composeDigest(
    {
      colleague: mailbox.name,
      organisation: organisation.name,
      language: spokenLanguage(mailbox.language),
      timeZone: mailbox.time_zone,
      lines,
      ending: ending.map(row => ({ ...lineOf(row), goesOn: row.expires_at.getTime() })),
      leftOut: leftOut.length,
      leftOutUntil,
      leavesOutJunk: mailbox.digest_lists_junk === 0,
      ownPage: publicUrl === '' ? '' : `${publicUrl}/own`,
      freshPage: publicUrl === '' ? '' : `${publicUrl}/own/settings`,
      foot: organisationWords(organisation, 'foot', mailbox.language),
    },
    t,
  )
  return { text, listed: lines.length, leftOut: leftOut.length }
}

/** A staffer leaves a line out of the coming digest, or adds a word for the colleague. */
export async function noteLine(
  db: Database,
  who: SignedIn,
  deliveryId: number,
  { leaveOut, note }: { leaveOut: boolean; note: string },
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    const delivery = await findOne(
      db,
      Deliveries,
      { id: deliveryId },
      { columns: ['mailbox_id', 'digest_id', 'subject'], tx, lock: true },
    )
    if (!delivery) throw new AppError('DELIVERY_NOT_FOUND')
    if (delivery.digest_id !== null) throw new AppError('DIGEST_GONE')
    await execute(
      db,
      'REPLACE INTO digest_notes (delivery_id, leave_out, note, by_name, at) VALUES (:deliveryId, :leaveOut, :note, :by, :now)',
      { deliveryId, leaveOut, note, by: who.staffer.name, now },
      tx,
    )
    await writeRecord(db, tx, [
      {
        at: now,
        act: leaveOut ? 'digest-left-out' : 'digest-note',
        by: actor(who),
        mailboxId: delivery.mailbox_id,
        deliveryId,
        reason: note,
        facts: { subject: delivery.subject },
      },
    ])
    await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: who.staffer.name }])
  })
}

/** Cuts the digest now and queues it; two at once can't cut the same window. */
export async function sendDigest(
  db: Database,
  who: SignedIn,
  mailboxId: number,
  { now, publicUrl }: { now: Date; publicUrl: string },
): Promise<CutDigest> {
  try {
    return await inTransaction(db, async tx => {
      const mailbox = await findMailboxRow(db, mailboxId, tx)
      if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
      const organisation = await readOrganisation(db, tx)
      const digest = await cutDigest(db, tx, mailbox, { organisation, publicUrl, cut: now })
      if (!digest) throw new AppError('NOTHING_TO_SEND')
      const { listed, leftOut } = digest
      await writeRecord(db, tx, [
        { at: now, act: 'digest-sent', by: actor(who), mailboxId, facts: { listed, leftOut } },
      ])
      await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: who.staffer.name }])
      return digest
    })
  } catch (error) {
    if (isDuplicate(error)) throw new AppError('DIGEST_RUNNING')
    throw error
  }
}

/** So long a colleague waits for the next digest they ask for. */
const betweenFresh = 10 * 60_000

/**
 * A digest of all that is kept back for a colleague now, in their mailboxes, also of what an earlier one named; how many
 * lines. Throws NOTHING_TO_SEND when nothing is, and DIGEST_JUST_SENT when they got one a moment ago.
 */
export async function sendFreshDigest(
  db: Database,
  { colleague }: AnsweringColleague,
  { now, publicUrl }: { now: Date; publicUrl: string },
): Promise<number> {
  const by = actor({ colleague })
  try {
    return await inTransaction(db, async tx => {
      const organisation = await readOrganisation(db, tx)
      const { since } = await windowOf(db, colleague.id, now, tx)
      if (now.getTime() - since.getTime() < betweenFresh) throw new AppError('DIGEST_JUST_SENT')
      let listed = 0
      let sent = false
      for (const id of [...colleague.mailboxIds].sort((a, b) => a - b)) {
        const mailbox = await findMailboxRow(db, id, tx)
        const cut = { organisation, publicUrl, cut: now, again: true }
        const digest = mailbox && (await cutDigest(db, tx, mailbox, cut))
        if (!digest) continue
        sent = true
        listed += digest.listed
        const { listed: lines, leftOut } = digest
        await writeRecord(db, tx, [
          { at: now, act: 'digest-sent', by, mailboxId: id, facts: { listed: lines, leftOut } },
        ])
      }
      if (!sent) throw new AppError('NOTHING_TO_SEND')
      await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: by.name }])
      return listed
    })
  } catch (error) {
    if (isDuplicate(error)) throw new AppError('DIGEST_RUNNING')
    throw error
  }
}

interface Cut {
  readonly organisation: Organisation
  readonly publicUrl: string
  readonly cut: Date
  /** What an earlier digest named is named again, by the same reference. */
  readonly again?: boolean
  /** Nothing but the reminder of what is about to go. */
  readonly remindsOnly?: boolean
}

export interface CutDigest {
  readonly digestId: number
  readonly listed: number
  readonly leftOut: number
}

const newReferences = (rows: readonly LineRow[]): ReadonlyMap<number, string> =>
  new Map(
    rows
      .filter(row => row.left_out === 0)
      .map(row => [row.id, referenceOf(randomInt(referenceCount))] as const),
  )

/**
 * What a digest, or a message of its own, reminds of: nobody has looked, and it is about to go. In a digest that is what earlier
 * ones told of, as it lists the rest itself; a message may be the first word of it, where digests are off.
 */
export async function endingLines(
  db: Database,
  mailbox: MailboxRow,
  by: 'digest' | 'message',
  now: Date,
  tx?: Tx,
): Promise<readonly NamedRow[]> {
  const ids = await reminderOf(db, mailbox, by, now, tx)
  if (ids.length === 0) return []
  const rows = await namedBefore(db, mailbox.id, ids, tx)
  return by === 'message' ? rows : rows.filter(({ told }) => told === 1)
}

/**
 * Takes all that waits into one digest, gives each line its reference and queues the message, in the
 * caller's transaction: a crash at any moment leaves either all of it or nothing. `null`: nothing to say.
 */
export async function cutDigest(
  db: Database,
  tx: Tx,
  mailbox: MailboxRow,
  { organisation, publicUrl, cut, again = false, remindsOnly = false }: Cut,
): Promise<CutDigest | null> {
  const rows = remindsOnly ? [] : await waitingLines(db, mailbox.id, cut, tx)
  const before = again ? await namedBefore(db, mailbox.id, 'named', tx) : []
  const ending = again ? [] : await endingLines(db, mailbox, remindsOnly ? 'message' : 'digest', cut, tx)
  const unnamed = ending.filter(({ reference }) => reference === null)
  const references = newReferences([...rows, ...unnamed])
  const { text, listed, leftOut } = compose(
    organisation,
    mailbox,
    { rows: [...rows, ...before].sort((a, b) => a.score - b.score || a.id - b.id), ending },
    { publicUrl, signer: await linkSigner(db, mailbox.id, tx) },
    id => references.get(id) ?? [...before, ...ending].find(line => line.id === id)?.reference ?? '',
  )
  if (!text) return null
  if (ending.length > 0) await noteReminder(db, tx, mailbox.id, cut)
  for (const { id } of unnamed.filter(({ told }) => told === 1))
    await update(db, DigestLines, { reference: references.get(id) ?? null }, { delivery_id: id }, tx)
  const { since } = await windowOf(db, mailbox.id, cut, tx)
  const source = await buildMessage(organisation, mailbox, text, cut)
  const digestId = await insertOne(
    db,
    Digests,
    { mailbox_id: mailbox.id, since, cut, listed, left_out: leftOut, state: 'waiting', source },
    tx,
  )
  const lined = [...rows, ...ending.filter(({ told }) => told === 0)]
  // A reference that another line of the mailbox has already hits the key, and all is tried again.
  await insert(
    db,
    DigestLines,
    lined.map((row, place) => ({
      delivery_id: row.id,
      digest_id: digestId,
      mailbox_id: mailbox.id,
      place,
      reference: references.get(row.id) ?? null,
    })),
    tx,
  )
  for (let i = 0; i < lined.length; i += 2000)
    await update(
      db,
      Deliveries,
      { digest_id: digestId },
      { id: lined.slice(i, i + 2000).map(({ id }) => id) },
      tx,
    )
  const readers = await digestReaders(db, tx, mailbox, cut)
  await enqueue(
    db,
    tx,
    'digest',
    readers.map(reader => ({ subjectId: digestId, place: String(reader), at: cut })),
  )
  // Colleagues who get their first digest get a password of their own beside it.
  if (publicUrl !== '') await enqueueWelcomes(db, tx, readers, cut)
  return { digestId, listed, leftOut }
}

/** A shared or list mailbox's digest goes to its minders; everybody else gets their own, or who they named while they are away. */
async function digestReaders(
  db: Database,
  tx: Tx,
  { id, kind }: MailboxRow,
  cut: Date,
): Promise<readonly number[]> {
  const away = (await awayTimes(db, [id], tx)).get(id) ?? []
  const entrusted = away.find(one => one.digestsTo !== null && isAway([one], cut.getTime()))?.digestsTo
  if (entrusted) return [entrusted]
  if (kind === 'person') return [id]
  const minders = await findAll(
    db,
    Minders,
    { mailbox_id: id },
    { columns: ['minder_id'], order: [['minder_id', 'ASC']], tx },
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
  return composeOwnMail(organisation, {
    language: mailbox.language,
    to: { name: mailbox.name, address: mailbox.address },
    replyTo: organisation.digestAddress,
    subject,
    text,
    html,
    date: now,
    id: `digest-${mailbox.id}-${now.getTime()}`,
    automatic: 'auto-generated',
    headers: { 'List-Id': `Kept-back mail <digests.${ownDomain(organisation)}>`, Precedence: 'bulk' },
  })
}
