import { randomUUID } from 'node:crypto'
import type { EnquiryLetter, EnquiryState, OwnQuestion } from '@pendro/contract'
import { ownWords } from '@pendro/core/whereabouts'
import { harmless, harmlessLine } from '@pendro/core/text'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Enquiries, EnquiryLetters } from '../db/models/whereabouts.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { findAll, findOne, insertOne, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { composeOwnMail, ownDomain, organisationWords } from '../outbox/own-mail.ts'
import { enqueue } from '../outbox/queue.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { translator } from '../wording.ts'

type LetterRow = Pick<
  RowOf<typeof EnquiryLetters>,
  'id' | 'enquiry_id' | 'at' | 'by_kind' | 'by_name' | 'how' | 'words' | 'read_at'
> & { readonly done_at: Date | null; readonly problem: string | null }

/** What was written about some enquiries, oldest first, and how far it has come. */
export async function lettersOf(
  db: Database,
  enquiryIds: readonly number[],
): Promise<ReadonlyMap<number, readonly EnquiryLetter[]>> {
  const found = new Map<number, EnquiryLetter[]>()
  if (enquiryIds.length === 0) return found
  const rows = await select<LetterRow>(
    db,
    `SELECT l.id, l.enquiry_id, l.at, l.by_kind, l.by_name, l.how, l.words, l.read_at, o.done_at, o.problem FROM enquiry_letters l
     LEFT JOIN outbox o ON o.kind = 'letter' AND o.subject_id = l.id WHERE l.enquiry_id IN (:enquiryIds) ORDER BY l.id`,
    { enquiryIds },
  )
  for (const row of rows) found.set(row.enquiry_id, [...(found.get(row.enquiry_id) ?? []), shown(row)])
  return found
}

const shown = ({
  id,
  at,
  by_kind,
  by_name,
  how,
  words,
  read_at,
  done_at,
  problem,
}: LetterRow): EnquiryLetter => ({
  id,
  at: at.toISOString(),
  by: by_kind,
  name: by_name,
  how,
  words,
  mail:
    by_kind === 'colleague'
      ? 'none'
      : done_at === null
        ? 'waiting'
        : problem === ''
          ? 'delivered'
          : 'refused',
  problem: problem ?? '',
  readAt: read_at?.toISOString() ?? null,
})

interface Answer {
  readonly words: string
  readonly state?: EnquiryState
  readonly token: string
}

/** Answers a colleague: by mail, and on their own page. The same `token` again does nothing. */
export async function sendAnswer(
  db: Database,
  who: SignedIn,
  id: number,
  { words, state, token }: Answer,
  now: Date,
): Promise<number> {
  const work = async (tx: Tx) => {
    const row = await findOne(db, Enquiries, { id }, { columns: ['mailbox_id', 'state'], tx, lock: true })
    if (!row) throw new AppError('ENQUIRY_NOT_FOUND')
    const before = await findOne(db, EnquiryLetters, { token }, { columns: ['id'], tx })
    if (before) return before.id
    const organisation = await readOrganisation(db, tx)
    const letter = await insertOne(
      db,
      EnquiryLetters,
      {
        enquiry_id: id,
        at: now,
        by_kind: 'staffer',
        by_name: who.staffer.name,
        how: 'mail',
        words,
        // Random, so that nobody can name a letter they were not sent.
        message_id: `<enquiry-${id}-${randomUUID()}@${ownDomain(organisation)}>`,
        token,
      },
      tx,
    )
    await update(
      db,
      Enquiries,
      { answer: words, staffer_id: who.staffer.id, changed_at: now, ...(state !== undefined && { state }) },
      { id },
      tx,
    )
    await enqueue(db, tx, 'letter', [{ subjectId: letter, place: String(row.mailbox_id), at: now }])
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'enquiry-answered',
        by: actor(who),
        mailboxId: row.mailbox_id,
        reason: words.slice(0, 1000),
        facts: { enquiry: id, state: state ?? row.state },
      },
    ])
    await announce(db, tx, now, [{ kind: 'enquiry', deliveryId: null, state: null, by: who.staffer.name }])
    return letter
  }
  return inTransaction(db, work, { againOnDuplicate: true })
}

/** What a colleague writes to an enquiry of theirs: by mail, or on their own page. */
export interface ColleagueWords {
  readonly enquiryId: number
  readonly colleague: { readonly id: number; readonly name: string }
  readonly words: string
  readonly how: 'mail' | 'page'
  readonly subject?: string
  readonly messageId?: string | null
}

/** Takes a colleague's words into the enquiry; one that was answered is open again. ENQUIRY_NOT_FOUND for somebody else's. */
export async function takeWords(db: Database, given: ColleagueWords, now: Date): Promise<void> {
  const { enquiryId, colleague } = given
  await inTransaction(db, async tx => {
    const row = await findOne(
      db,
      Enquiries,
      { id: enquiryId, mailbox_id: colleague.id },
      { columns: ['state', 'staffer_id'], tx, lock: true },
    )
    if (!row) throw new AppError('ENQUIRY_NOT_FOUND')
    await noteWords(db, tx, given, now)
    const isAnswered = row.state === 'found' || row.state === 'never sent to us'
    const state = isAnswered ? (row.staffer_id === null ? 'new' : 'being looked for') : row.state
    await update(db, Enquiries, { state, changed_at: now }, { id: enquiryId }, tx)
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'enquiry-reply',
        by: { kind: 'colleague', id: colleague.id, name: colleague.name },
        mailboxId: colleague.id,
        facts: { enquiry: enquiryId, how: given.how },
      },
    ])
    await announce(db, tx, now, [{ kind: 'enquiry', deliveryId: null, state: null, by: colleague.name }])
  })
}

/** Keeps a colleague's words as a letter, so that an answer can be in their thread. */
export async function noteWords(
  db: Database,
  tx: Tx,
  { enquiryId, colleague, words, how, subject = '', messageId }: ColleagueWords,
  now: Date,
): Promise<void> {
  await insertOne(
    db,
    EnquiryLetters,
    {
      enquiry_id: enquiryId,
      at: now,
      by_kind: 'colleague',
      by_name: colleague.name.slice(0, 200),
      how,
      subject: harmlessLine(subject).slice(0, 255),
      words: harmless(ownWords(words.slice(0, 100_000))).slice(0, 4000) || '…',
      message_id: fitting(messageId),
    },
    tx,
  )
}

/** A Message-ID that can be kept and answered; '' for one that is too long or not of ASCII (RFC 5322 §3.6.4). */
const fitting = (messageId: string | null | undefined): string =>
  messageId && /^<[\x21-\x7e]{1,318}>$/.test(messageId) ? messageId : ''

/** The enquiry of a colleague that a mail answers one of our letters of, by the Message-IDs it names; `null` for none. */
export async function findAnswered(
  db: Database,
  colleagueId: number,
  answers: readonly string[],
): Promise<number | null> {
  const ids = answers.map(fitting).filter(id => id !== '')
  if (ids.length === 0) return null
  const row = await findRow<{ id: number }>(
    db,
    `SELECT e.id FROM enquiry_letters l JOIN enquiries e ON e.id = l.enquiry_id
     WHERE l.message_id IN (:ids) AND e.mailbox_id = :colleagueId ORDER BY l.id DESC LIMIT 1`,
    { ids: ids.slice(0, 50), colleagueId },
  )
  return row?.id ?? null
}

/** Whether a mail answers a letter of ours at all: it belongs to an enquiry, to whichever address it was sent. */
export async function answersLetter(db: Database, answers: readonly string[]): Promise<boolean> {
  const ids = answers.map(fitting).filter(id => id !== '')
  if (ids.length === 0) return false
  const row = await findRow(
    db,
    "SELECT id FROM enquiry_letters WHERE by_kind = 'staffer' AND message_id IN (:ids) LIMIT 1",
    { ids: ids.slice(0, 50) },
  )
  return row !== null
}

/** What a colleague has read on their own page. */
export async function markRead(
  db: Database,
  colleagueId: number,
  enquiryId: number,
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    const read = await execute(
      db,
      `UPDATE enquiry_letters l JOIN enquiries e ON e.id = l.enquiry_id SET l.read_at = :now
       WHERE e.id = :enquiryId AND e.mailbox_id = :colleagueId AND l.by_kind = 'staffer' AND l.read_at IS NULL`,
      { now, enquiryId, colleagueId },
      tx,
    )
    if (read > 0) await announce(db, tx, now, [{ kind: 'enquiry', deliveryId: null, state: null, by: '' }])
  })
}

const mostQuestions = 50

/** What a colleague has asked, newest first, with the answers. */
export async function questionsOf(
  db: Database,
  { id: mailboxId }: { readonly id: number },
): Promise<OwnQuestion[]> {
  const rows = await findAll(
    db,
    Enquiries,
    { mailbox_id: mailboxId },
    {
      columns: ['id', 'opened_at', 'changed_at', 'words', 'state'],
      order: [['id', 'DESC']],
      limit: mostQuestions,
    },
  )
  const letters = await lettersOf(
    db,
    rows.map(({ id }) => id),
  )
  return rows.map(({ id, opened_at, changed_at, words, state }) => {
    const written = letters.get(id) ?? []
    return {
      id,
      openedAt: opened_at.toISOString(),
      changedAt: changed_at.toISOString(),
      words,
      state,
      letters: [...written],
      unread: written.filter(({ by, readAt }) => by === 'staffer' && readAt === null).length,
    }
  })
}

/** The bytes of an answer, in the colleague's language and in the thread of what they wrote; `null`: it is gone. */
export async function writeAnswer(
  db: Database,
  letterId: number,
  { publicUrl }: { readonly publicUrl: string },
): Promise<Buffer | null> {
  const letter = await findOne(db, EnquiryLetters, { id: letterId })
  const enquiry = letter && (await findOne(db, Enquiries, { id: letter.enquiry_id }))
  const mailbox = enquiry && (await findMailboxRow(db, enquiry.mailbox_id))
  if (!letter || !mailbox) return null
  const [organisation, earlier] = await Promise.all([
    readOrganisation(db),
    select<{ by_kind: 'staffer' | 'colleague'; subject: string; message_id: string }>(
      db,
      "SELECT by_kind, subject, message_id FROM enquiry_letters WHERE enquiry_id = :enquiry AND id < :id AND message_id <> '' ORDER BY id",
      { enquiry: letter.enquiry_id, id: letter.id },
    ),
  ])
  const t = translator(mailbox.language)
  const asked = earlier.findLast(({ by_kind, subject }) => by_kind === 'colleague' && subject !== '')?.subject
  const facts = {
    name: mailbox.name,
    staffer: letter.by_name,
    organisation: organisation.name,
    words: enquiry.words,
    url: `${publicUrl}/own/questions/${enquiry.id}`,
  }
  const parts = [
    t('enquiryLetter.greeting', facts),
    letter.words,
    t('enquiryLetter.from', facts),
    t('enquiryLetter.asked', facts),
    t('enquiryLetter.how', facts),
    organisationWords(organisation, 'foot', mailbox.language),
  ].filter(part => part !== '')
  return composeOwnMail(organisation, {
    language: mailbox.language,
    to: { name: mailbox.name, address: mailbox.address },
    subject: asked ? `Re: ${asked.replace(/^(?:re:\s*)+/i, '')}` : t('enquiryLetter.subject', facts),
    text: `${parts.join('\n\n')}\n`,
    date: letter.at,
    id: letter.message_id.slice(1, letter.message_id.lastIndexOf('@')),
    // A person wrote it.
    automatic: null,
    answers: earlier.map(({ message_id }) => message_id),
    replyTo: organisation.helpAddress ?? organisation.digestAddress,
  })
}
