import { findToken } from '../acts/ruling-rows.ts'
import type { EntryRequest } from '@pendro/contract'
import { writeAsks } from '../lists/ask.ts'
import { findRefusal } from '@pendro/core/rulings'
import { displayPattern, parsePattern } from '@pendro/core/senders'
import { findRow, inTransaction, isDuplicate, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { EntryRequests, SenderEntries } from '../db/models/lists.ts'
import { findAll, idAt, update } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { planWanted, writeChange, type Applied } from './changes.ts'
import { readPattern } from '../lists/drafts.ts'

interface RequestRow extends Pick<
  RowOf<typeof EntryRequests>,
  | 'id'
  | 'pattern'
  | 'standing'
  | 'mailbox_id'
  | 'reason'
  | 'asked_by'
  | 'asked_at'
  | 'state'
  | 'answer'
  | 'answered_by'
  | 'answered_at'
  | 'ruling_id'
> {
  readonly mailbox_name: string
}

/** Open requests, oldest first, then the latest answers. */
export async function readQueue(db: Database, scope: Scope): Promise<EntryRequest[]> {
  const columns = 'q.*, b.name AS mailbox_name FROM entry_requests q JOIN mailboxes b ON b.id = q.mailbox_id'
  const theirs = within(scope, 'q.mailbox_id')
  const [open, answered] = await Promise.all([
    select<RequestRow>(db, `SELECT ${columns} WHERE q.state = 'open' AND ${theirs} ORDER BY q.id LIMIT 200`),
    select<RequestRow>(
      db,
      `SELECT ${columns} WHERE q.state <> 'open' AND ${theirs} ORDER BY q.answered_at DESC LIMIT 30`,
    ),
  ])
  return [...open, ...answered].map(toShape)
}

function toShape(row: RequestRow): EntryRequest {
  const parsed = parsePattern(row.pattern)
  return {
    id: row.id,
    pattern: parsed.ok ? displayPattern(parsed.value) : row.pattern,
    standing: row.standing,
    mailboxId: row.mailbox_id,
    mailboxName: row.mailbox_name,
    reason: row.reason,
    askedBy: row.asked_by,
    askedAt: row.asked_at.toISOString(),
    state: row.state,
    answer: row.answer,
    answeredBy: row.answered_by,
    answeredAt: row.answered_at?.toISOString() ?? null,
    rulingId: row.ruling_id,
  }
}

interface Asked {
  readonly pattern: string
  readonly standing: 'safe' | 'blocked'
  readonly mailboxId: number
  readonly reason: string
}

export async function askForEverybody(
  db: Database,
  who: SignedIn,
  { pattern: typed, standing, mailboxId, reason }: Asked,
  now: Date,
): Promise<number> {
  const pattern = readPattern(typed)
  const [organisation, mailbox] = await Promise.all([readOrganisation(db), findMailboxRow(db, mailboxId)])
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  if (findRefusal({ pattern, standing }, organisation.policy)) throw new AppError('BLOCKS_OWN_DOMAIN')
  try {
    return await inTransaction(db, async tx => {
      const asking = { by: actor(who), at: now, reason, rulingId: null }
      return idAt(await writeAsks(db, tx, [{ pattern, standing, mailboxId }], asking), 0)
    })
  } catch (error) {
    if (isDuplicate(error)) throw new AppError('ALREADY_ASKED')
    throw error
  }
}

interface Answer {
  readonly approve: boolean
  readonly answer: string
  readonly token: string
}

/** Approving makes the organisation's entry; the asker's equal one has done its work and ends with it. */
export async function answerRequestOf(
  db: Database,
  who: SignedIn,
  id: number,
  answer: Answer,
  now: Date,
): Promise<Applied | null> {
  if (!answer.approve && answer.answer === '') throw new AppError('NEEDS_REASON', { context: 'decline' })
  return inTransaction(
    db,
    async tx => {
      const row = await findRow<RequestRow>(
        db,
        'SELECT q.*, b.name AS mailbox_name FROM entry_requests q JOIN mailboxes b ON b.id = q.mailbox_id WHERE q.id = :id FOR UPDATE',
        { id },
        tx,
      )
      if (!row) throw new AppError('REQUEST_NOT_FOUND')
      if (row.state !== 'open')
        throw new AppError('ALREADY_ANSWERED', { context: row.state, by: row.answered_by })
      if ((await findToken(db, tx, answer.token)) !== null) throw new AppError('ALREADY_ANSWERED')
      const answering = { who, row, answer, now }
      const applied = answer.approve ? await approve(db, tx, answering) : await decline(db, tx, answering)
      await update(
        db,
        EntryRequests,
        {
          state: answer.approve ? 'approved' : 'declined',
          answer: answer.answer,
          answered_by: who.staffer.name,
          answered_at: now,
          ruling_id: applied?.rulingId ?? null,
        },
        { id },
        tx,
      )
      return applied
    },
    { againOnDuplicate: true },
  )
}

interface Answering {
  readonly who: SignedIn
  readonly row: RequestRow
  readonly answer: Answer
  readonly now: Date
}

async function approve(
  db: Database,
  tx: Tx,
  { who, row, answer: { answer, token }, now }: Answering,
): Promise<Applied> {
  const { pattern, standing, mailbox_id: mailbox } = row
  const same = await findAll(
    db,
    SenderEntries,
    { pattern, standing, mailbox_id: mailbox, ended_at: null },
    { columns: ['id'], tx },
  )
  const organisation = await readOrganisation(db, tx)
  const wanted = {
    add: [{ pattern, standing, mailboxId: null, withoutAuthentication: false, until: null }],
    end: same.map(({ id }) => id),
  }
  const planned = await planWanted(db, wanted, organisation, now, { tx, lock: true })
  return writeChange(db, tx, {
    who,
    planned,
    reason: answer || row.reason,
    token,
    now,
    organisation,
    told: facts => ({
      act: 'approved',
      facts: { ...facts, askedBy: row.asked_by, for: row.mailbox_name },
    }),
    origin: 'request',
  })
}

async function decline(
  db: Database,
  tx: Tx,
  { who, row, answer: { answer }, now }: Answering,
): Promise<null> {
  await writeRecord(db, tx, [
    {
      at: now,
      act: 'declined',
      by: actor(who),
      mailboxId: row.mailbox_id,
      reason: answer,
      facts: { pattern: toShape(row).pattern, standing: row.standing, askedBy: row.asked_by },
    },
  ])
  await announce(db, tx, now, [{ kind: 'senders', deliveryId: null, state: null, by: who.staffer.name }])
  return null
}
