import type { EnquiryBrief, EnquirySheet, EnquiryState, WhereQuestion } from '@pendro/contract'
import { openStates } from '../deliveries/asked-for.ts'
import { execute, findRow, inTransaction, select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { Enquiries } from '../db/models/whereabouts.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { within, type Scope } from '../db/scope.ts'
import { exists, findOne, insertOne, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { whenNothingIsFound } from './account.ts'
import { lettersOf, noteWords, type ColleagueWords } from './letters.ts'

interface EnquiryRow extends Pick<
  RowOf<typeof Enquiries>,
  'id' | 'opened_at' | 'changed_at' | 'mailbox_id' | 'how' | 'words' | 'question' | 'state' | 'answer'
> {
  readonly mailbox_name: string
  readonly staffer: string | null
  readonly came_in: number
  readonly last_letter: 'staffer' | 'colleague' | null
}

const columns = `e.id, e.opened_at, e.changed_at, e.mailbox_id, b.name AS mailbox_name, e.how, e.words, e.question, e.state, s.name AS staffer, e.answer,
  (SELECT COUNT(*) FROM enquiry_deliveries x WHERE x.enquiry_id = e.id AND x.how = 'came in') AS came_in,
  (SELECT l.by_kind FROM enquiry_letters l WHERE l.enquiry_id = e.id ORDER BY l.id DESC LIMIT 1) AS last_letter`
const tables =
  'enquiries e JOIN mailboxes b ON b.id = e.mailbox_id LEFT JOIN staffers s ON s.id = e.staffer_id'

const brief = (row: EnquiryRow): EnquiryBrief => ({
  id: row.id,
  openedAt: row.opened_at.toISOString(),
  changedAt: row.changed_at.toISOString(),
  mailboxId: row.mailbox_id,
  mailboxName: row.mailbox_name,
  how: row.how,
  words: row.words,
  state: row.state,
  staffer: row.staffer ?? '',
  cameIn: row.came_in,
  lastLetter: row.last_letter ?? 'none',
})

/** Open ones first, each group by what changed last. */
export async function readEnquiries(
  db: Database,
  scope: Scope,
  mailbox: number | undefined,
): Promise<{ enquiries: EnquiryBrief[] }> {
  const whose = mailbox === undefined ? '' : 'AND e.mailbox_id = :mailbox'
  const part = (states: string, limit: number) =>
    select<EnquiryRow>(
      db,
      `SELECT ${columns} FROM ${tables} WHERE e.state ${states} (:openStates) ${whose} AND ${within(scope, 'e.mailbox_id')} ORDER BY e.changed_at DESC LIMIT ${limit}`,
      { openStates, mailbox },
    )
  const [open, answered] = await Promise.all([part('IN', 200), part('NOT IN', 30)])
  return { enquiries: [...open, ...answered].map(brief) }
}

interface Opening {
  readonly mailboxId: number
  readonly how: EnquiryBrief['how']
  readonly words: string
  readonly question: WhereQuestion
  /** The mail it came with: the answer goes into its thread. */
  readonly letter?: Pick<ColleagueWords, 'words' | 'subject' | 'messageId'>
}

/** Opens an enquiry. Of a staffer's it is known at once who looks for it. */
export async function openEnquiry(
  db: Database,
  by: { readonly actor: Actor; readonly stafferId: number | null },
  { mailboxId, how, words, question, letter }: Opening,
  now: Date,
): Promise<number> {
  return inTransaction(db, async tx => {
    const mailbox = await findMailboxRow(db, mailboxId, tx)
    if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
    const id = await insertOne(
      db,
      Enquiries,
      {
        opened_at: now,
        changed_at: now,
        mailbox_id: mailboxId,
        how,
        words: words.slice(0, 1000),
        question: shortened(question),
        state: by.stafferId === null ? 'new' : 'being looked for',
        staffer_id: by.stafferId,
      },
      tx,
    )
    if (letter) await noteWords(db, tx, { ...letter, enquiryId: id, colleague: mailbox, how: 'mail' }, now)
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'enquiry-opened',
        by: by.actor,
        mailboxId,
        reason: words.slice(0, 1000),
        facts: { enquiry: id, how },
      },
    ])
    await announce(db, tx, now, [{ kind: 'enquiry', deliveryId: null, state: null, by: by.actor.name }])
    return id
  })
}

const shortened = ({ from, to, about, when }: WhereQuestion): WhereQuestion => ({
  from: from.slice(0, 400),
  to: to.slice(0, 400),
  about: about.slice(0, 400),
  when: when.slice(0, 200),
})

async function findEnquiry(db: Database, id: number): Promise<EnquiryRow> {
  const row = await findRow<EnquiryRow>(db, `SELECT ${columns} FROM ${tables} WHERE e.id = :id`, { id })
  if (!row) throw new AppError('ENQUIRY_NOT_FOUND')
  return row
}

/** Reading it again and again tells the others that one is there. */
const hereFor = 30_000

export async function readEnquiry(db: Database, who: SignedIn, id: number, now: Date): Promise<EnquirySheet> {
  const row = await findEnquiry(db, id)
  await execute(
    db,
    'REPLACE INTO enquiry_readers (enquiry_id, staffer_id, at) VALUES (:id, :staffer, :now)',
    { id, staffer: who.staffer.id, now },
  )
  const [deliveries, others, letters, saying] = await Promise.all([
    select<{
      id: number
      how: 'chosen' | 'came in'
      subject: string
      from_name: string
      from_address: string
      state: EnquirySheet['deliveries'][number]['state']
      received_at: Date
    }>(
      db,
      `SELECT d.id, x.how, d.subject, d.from_name, d.from_address, d.state, d.received_at FROM enquiry_deliveries x
       JOIN deliveries d ON d.id = x.delivery_id WHERE x.enquiry_id = :id AND ${within(who.scope, 'd.mailbox_id')} ORDER BY x.at DESC LIMIT 50`,
      { id },
    ),
    select<{ name: string }>(
      db,
      `SELECT s.name FROM enquiry_readers r JOIN staffers s ON s.id = r.staffer_id
       WHERE r.enquiry_id = :id AND r.staffer_id <> :staffer AND r.at > :since ORDER BY s.name`,
      { id, staffer: who.staffer.id, since: new Date(now.getTime() - hereFor) },
    ),
    lettersOf(db, [id]),
    whenNothingIsFound(db, row.mailbox_id, row.question),
  ])
  return {
    ...brief(row),
    question: row.question,
    answer: row.answer,
    deliveries: deliveries.map(d => ({
      id: d.id,
      how: d.how,
      subject: d.subject,
      from: d.from_name || d.from_address,
      state: d.state,
      at: d.received_at.toISOString(),
    })),
    alsoHere: others.map(({ name }) => name),
    letters: [...(letters.get(id) ?? [])],
    ...saying,
  }
}

interface Change {
  readonly state?: EnquiryState
  readonly answer?: string
  readonly question?: WhereQuestion
  readonly delivery?: number
}

export async function changeEnquiry(
  db: Database,
  who: SignedIn,
  id: number,
  { state, answer, question, delivery }: Change,
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    const row = await findOne(db, Enquiries, { id }, { columns: ['mailbox_id', 'state'], tx, lock: true })
    if (!row) throw new AppError('ENQUIRY_NOT_FOUND')
    const changed = {
      ...(state !== undefined && { state }),
      ...(answer !== undefined && { answer }),
      ...(question !== undefined && { question: shortened(question) }),
      staffer_id: who.staffer.id,
      changed_at: now,
    }
    await update(db, Enquiries, changed, { id }, tx)
    if (delivery !== undefined) {
      const known = await exists(db, Deliveries, { id: delivery }, { tx })
      if (!known) throw new AppError('DELIVERY_NOT_FOUND')
      await execute(
        db,
        "INSERT IGNORE INTO enquiry_deliveries (enquiry_id, delivery_id, how, at) VALUES (:id, :delivery, 'chosen', :now)",
        { id, delivery, now },
        tx,
      )
    }
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'enquiry',
        by: actor(who),
        mailboxId: row.mailbox_id,
        deliveryId: delivery ?? null,
        reason: answer ?? '',
        facts: { enquiry: id, was: row.state, state: state ?? row.state },
      },
    ])
    await announce(db, tx, now, [{ kind: 'enquiry', deliveryId: null, state: null, by: who.staffer.name }])
  })
}
