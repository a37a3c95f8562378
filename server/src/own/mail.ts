import { cursorText, readTimeCursor } from '../db/cursor.ts'
import { containing } from '../db/like.ts'
import { keptBackSql, undecidedSql } from '../deliveries/states-sql.ts'
import type { OwnAct, OwnPage, OwnRow, OwnSheet, RulingSentence } from '@pendro/contract'
import { noteLook, unlookedSql } from '../deliveries/looks.ts'
import { decide } from '@pendro/core/judgement'
import { arrives } from '@pendro/core/rulings'
import { candidateTexts, displayPattern, patternAtWidth } from '@pendro/core/senders'
import { findRow, select, type Database } from '../db/database.ts'
import type { Messages } from '../db/models/messages.ts'
import type { RowOf } from '../db/models/columns.ts'
import { exists } from '../db/rows.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { findMailboxRow, mailboxPolicy, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { registerOf } from '../judging/judge.ts'
import type { Reader } from '../reading/reader.ts'
import { findReading } from '../reading/reading.ts'
import { applyRuling, type AppliedRuling } from '../rulings/rulings.ts'
import { entriesFor } from '../lists/entries.ts'
import { factsOf } from '../lists/seen.ts'
import type { SignedInColleague } from './access.ts'

interface MailRow extends Pick<
  RowOf<typeof Deliveries>,
  | 'id'
  | 'state'
  | 'received_at'
  | 'expires_at'
  | 'from_name'
  | 'from_address'
  | 'subject'
  | 'attachments'
  | 'left_out'
  | 'reasons'
  | 'mailbox_id'
> {
  readonly mailbox_name: string
}

const columns = `d.id, d.state, d.received_at, d.expires_at, d.from_name, d.from_address, d.subject, d.attachments, d.left_out,
  d.reasons, d.mailbox_id, b.name AS mailbox_name`

const toRow = (row: MailRow, { id }: SignedInColleague): OwnRow => ({
  id: row.id,
  state: row.state,
  receivedAt: row.received_at.toISOString(),
  expiresAt: row.expires_at.toISOString(),
  fromName: row.from_name,
  fromAddress: row.from_address,
  subject: row.subject,
  attachments: row.attachments,
  leftOut: row.left_out === 1,
  reason: row.reasons[0]?.finding ?? 'words-junk',
  mailbox: row.mailbox_id === id ? '' : row.mailbox_name,
})

const shows = {
  kept: `d.state IN ${keptBackSql} AND NOT d.left_out`,
  junk: "d.state = 'junk' AND NOT d.left_out",
  'near-certain': `d.state IN ${undecidedSql} AND d.left_out`,
  // On its way counts: the colleague has asked for it.
  sent: "(d.state = 'released' OR (d.state = 'deferred' AND d.bound_for = 'released'))",
  refused: "d.state = 'discarded'",
} as const

interface Asked {
  readonly show: Exclude<keyof typeof shows, 'junk'>
  /** 'chosen': as the colleague's settings say. */
  readonly junk: 'chosen' | 'shown' | 'hidden'
  readonly find: string
  readonly after?: string
  readonly limit: number
}

/** Whether the mail of the junk folder is shown among what is kept back. */
async function showsJunk(db: Database, who: SignedInColleague, asked: Asked['junk']): Promise<boolean> {
  if (asked !== 'chosen') return asked === 'shown'
  const mailbox = await findMailboxRow(db, who.id)
  if (mailbox?.junk_shown !== 'new') return mailbox?.junk_shown !== 'never'
  const row = await findRow<{ n: number }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM deliveries d LEFT JOIN mailbox_looks l ON l.mailbox_id = d.mailbox_id
       WHERE d.mailbox_id IN (:mailboxIds) AND ${shows.junk} AND ${unlookedSql}) AS n`,
    { mailboxIds: who.mailboxIds },
  )
  return Number(row?.n) === 1
}

/** A page of a colleague's own mail, newest first. That they look at it is noted. */
export async function ownPage(
  db: Database,
  who: SignedInColleague,
  { show, junk: asked, find, after, limit }: Asked,
  now: Date,
): Promise<OwnPage> {
  const from = readTimeCursor(after)
  const junk = await showsJunk(db, who, asked)
  const hidesJunk = show === 'kept' && !junk
  const rows = await select<MailRow>(
    db,
    `SELECT ${columns} FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
     WHERE d.mailbox_id IN (:mailboxIds) AND ${shows[show]} ${hidesJunk ? "AND d.state <> 'junk'" : ''}
       ${from === null ? '' : 'AND (d.received_at, d.id) < (:time, :id)'}
       ${find === '' ? '' : 'AND (d.from_name LIKE :find OR d.from_address LIKE :find OR d.subject LIKE :find)'}
     ORDER BY d.received_at DESC, d.id DESC LIMIT :limit`,
    {
      mailboxIds: who.mailboxIds,
      ...from,
      find: containing(find),
      limit: limit + 1,
    },
  )
  const counts = await findRow<Record<'kept' | 'near' | 'junk', number | null>>(
    db,
    `SELECT SUM(${shows.kept}) AS kept, SUM(${shows['near-certain']}) AS near, SUM(${shows.junk}) AS junk FROM deliveries d
     WHERE d.mailbox_id IN (:mailboxIds) AND d.state IN ${keptBackSql}`,
    { mailboxIds: who.mailboxIds },
  )
  const end = rows.length > limit ? rows[limit - 1] : undefined
  if (show === 'kept' && find === '' && from === null) await noteLook(db, who.mailboxIds, { junk, now })
  const inJunk = Number(counts?.junk ?? 0)
  return {
    rows: rows.slice(0, limit).map(row => toRow(row, who)),
    next: end ? cursorText(end.received_at, end.id) : null,
    counts: {
      kept: Number(counts?.kept ?? 0) - (junk ? 0 : inJunk),
      nearCertain: Number(counts?.near ?? 0),
    },
    junk: { shown: junk, count: inJunk },
  }
}

/** Somebody else's delivery is told as little as that it exists. */
export async function refuseOthers(
  db: Database,
  { mailboxIds }: SignedInColleague,
  id: number,
): Promise<void> {
  const own = await exists(db, Deliveries, { id, mailbox_id: [...mailboxIds] })
  if (!own) throw new AppError('DELIVERY_NOT_FOUND')
}

export async function ownMessage(
  db: Database,
  who: SignedInColleague,
  id: number,
  { now, read }: { readonly now: Date; readonly read: Reader['read'] },
): Promise<OwnSheet> {
  await refuseOthers(db, who, id)
  await noteLook(db, who.mailboxIds, { junk: false, now })
  const row = await findRow<
    MailRow &
      Pick<Judged, 'sender_facts' | 'harm' | 'bulk' | 'score' | 'rule_holds' | 'rule_places'> & {
        message_id: number
        gone: number
      }
  >(
    db,
    `SELECT ${columns}, d.message_id, NOT EXISTS (SELECT 1 FROM message_sources s WHERE s.message_id = m.id) AS gone,
       d.score, d.rule_holds, d.rule_places, m.sender_facts, m.harm, m.bulk FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
     JOIN messages m ON m.id = d.message_id WHERE d.id = :id`,
    { id },
  )
  if (!row) throw new AppError('DELIVERY_NOT_FOUND')
  const isGone = row.gone === 1 || row.state === 'expired'
  const reading = isGone ? null : await findReading(db, row.message_id, read)
  const [outlook, ruled] = await Promise.all([trustOutlook(db, row, now), lastRuling(db, who, id)])
  return {
    row: toRow(row, who),
    reasons: row.reasons.map(({ finding }) => finding),
    attachments: (reading?.attachments ?? [])
      .filter(({ inline }) => !inline)
      .map(({ name, danger }) => ({ name, danger })),
    gone: row.gone === 1,
    outlook,
    ruled,
  }
}

interface Judged
  extends
    Pick<RowOf<typeof Messages>, 'sender_facts' | 'harm' | 'bulk'>,
    Pick<RowOf<typeof Deliveries>, 'mailbox_id' | 'score' | 'rule_holds' | 'rule_places'> {}

/** What trusting the sender would come to: the same mail, judged with the entry that would be made. */
async function trustOutlook(db: Database, row: Judged, now: Date): Promise<OwnSheet['outlook']> {
  const { sender_facts: sender } = row
  const pattern = patternAtWidth('address', { address: sender.from[0] ?? null, listId: sender.listId })
  if (!pattern) return { arrives: false, why: 'no-sender', pattern: '' }
  const [organisation, mailbox, entries] = await Promise.all([
    readOrganisation(db),
    findMailboxRow(db, row.mailbox_id),
    entriesFor(db, candidateTexts(sender), [row.mailbox_id]),
  ])
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const wish = {
    id: 0,
    pattern,
    standing: 'safe' as const,
    owner: { kind: 'mailbox' as const, mailboxId: mailbox.id },
    binding: false,
    withoutAuthentication: false,
    until: null,
  }
  // An own entry about the very same sender would make place for the new one.
  const others = entries.filter(
    ({ owner, pattern: known }) =>
      owner.kind === 'organisation' || displayPattern(known) !== displayPattern(pattern),
  )
  const decision = decide(
    factsOf({ ...row, harmful: Number(row.harm !== null), unreadable: 0 }, sender, row.score),
    mailboxPolicy(mailbox, organisation),
    registerOf([...others, wish], mailbox.id),
    { policy: organisation.policy, now: now.getTime() },
  )
  if (arrives(decision)) return { arrives: true, why: '', pattern: '' }
  const deciding = decision.path.find(({ outcome }) => outcome === 'decided')
  if (deciding?.stage === 'harm') return { arrives: false, why: 'harm', pattern: '' }
  if (deciding?.stage === 'binding' && deciding.decided)
    return { arrives: false, why: 'organisation', pattern: displayPattern(deciding.decided.pattern) }
  return { arrives: false, why: 'not-proven', pattern: '' }
}

async function lastRuling(db: Database, who: SignedInColleague, id: number): Promise<OwnSheet['ruled']> {
  const row = await findRow<{ id: number; at: Date; staffer: string | null; colleague_id: number | null }>(
    db,
    `SELECT r.id, r.at, s.name AS staffer, r.colleague_id FROM ruling_deliveries x JOIN rulings r ON r.id = x.ruling_id
     LEFT JOIN staffers s ON s.id = r.staffer_id
     WHERE x.delivery_id = :id AND r.undone_at IS NULL AND x.from_state <> x.to_state ORDER BY r.id DESC LIMIT 1`,
    { id },
  )
  return (
    row && {
      by: row.staffer ?? '',
      at: row.at.toISOString(),
      rulingId: row.id,
      own: row.colleague_id === who.id,
    }
  )
}

const sentences: Readonly<Record<OwnAct, Pick<RulingSentence, 'message' | 'learn' | 'sender'>>> = {
  send: { message: 'release', learn: 'wanted', sender: 'as-is' },
  'send-trust': { message: 'release', learn: 'wanted', sender: 'safe' },
  refuse: { message: 'discard', learn: 'junk', sender: 'blocked' },
}

/** What a colleague decides about their own mail is a ruling like any other: in the record, and undoable. */
export function actOn(
  db: Database,
  who: SignedInColleague,
  { deliveries, act, token }: { deliveries: readonly number[]; act: OwnAct; token: string },
  now: Date,
): Promise<AppliedRuling> {
  return applyRuling(db, {
    who: { colleague: who },
    deliveryIds: deliveries,
    sentence: {
      ...sentences[act],
      width: 'address',
      for: 'colleague',
      withoutAuthentication: false,
      reason: '',
    },
    token,
    now,
  })
}
