import { randomUUID } from 'node:crypto'
import MailComposer from 'nodemailer/lib/mail-composer'
import type { StandbyDraft, StandbyLetter } from '@pendro/contract'
import { addressText, parseAddress } from '@pendro/core/address'
import { letterHtml, readHtml } from '@pendro/core/message'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { StandbyFiles, StandbyLetters, type LetterRecipients } from '../db/models/standby.ts'
import { readOrganisation } from '../db/organisation.ts'
import { findAll, findOne, insertOne, remove, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { readIncoming } from '../intake/incoming.ts'
import { storeOutgoing } from '../intake/outbound.ts'
import { containing } from '../db/like.ts'
import { ownDomain } from '../outbox/own-mail.ts'
import type { Reader } from '../reading/reader.ts'
import { findReading } from '../reading/reading.ts'
import { findWaiting, readKey } from './mail.ts'

type Letter = RowOf<typeof StandbyLetters>

/** As servers take them (RFC 5321 §4.5.3.1.8 wants 100). */
const mostRecipients = 100
const mostDrafts = 50
/** Bytes of all attachments of a letter: more few servers take. */
const mostBytes = 20_000_000

/** What a colleague is writing, and what they have written. */
export async function lettersOf(
  db: Database,
  mailboxId: number,
): Promise<{ readonly drafts: StandbyLetter[]; readonly sent: StandbyLetter[] }> {
  const rows = await findAll(
    db,
    StandbyLetters,
    { mailbox_id: mailboxId, state: ['draft', 'sent'] },
    { order: [['id', 'DESC']], limit: 200 },
  )
  const shown = (state: Letter['state']) => rows.filter(row => row.state === state).map(toLetter)
  return { drafts: shown('draft'), sent: shown('sent') }
}

const toLetter = (row: Letter): StandbyLetter => ({
  id: row.id,
  to: [...row.recipients.to, ...row.recipients.cc],
  subject: row.subject,
  at: (row.sent_at ?? row.saved_at).toISOString(),
  filed: row.filed_at !== null,
  problem: row.problem,
})

/** A draft with all of it, to go on with. */
export async function readDraft(db: Database, mailboxId: number, id: number): Promise<StandbyDraft> {
  const row = await draftOf(db, mailboxId, id)
  const files = await select<{ id: number; name: string; size: number }>(
    db,
    'SELECT id, name, LENGTH(content) AS size FROM standby_files WHERE letter_id = :id ORDER BY id',
    { id },
  )
  const { to, cc, bcc } = row.recipients
  return {
    id,
    version: row.version,
    to: [...to],
    cc: [...cc],
    bcc: [...bcc],
    subject: row.subject,
    html: row.html,
    answers: row.answers,
    forwards: row.forwards,
    files,
  }
}

async function draftOf(db: Database, mailboxId: number, id: number, tx?: Tx): Promise<Letter> {
  const row = await findOne(db, StandbyLetters, { id, mailbox_id: mailboxId }, { tx, lock: tx !== undefined })
  if (!row || row.state === 'gone') throw new AppError('LETTER_GONE')
  if (row.state === 'sent') throw new AppError('LETTER_SENT')
  return row
}

/** A draft as it is typed. */
export interface Typed extends LetterRecipients {
  readonly id: number | null
  /** The one this was typed over; what was saved elsewhere meanwhile is not lost by it. */
  readonly version: number
  readonly token: string
  readonly subject: string
  readonly html: string
  readonly answers: string
  readonly forwards: string
}

/** Keeps a draft as it is typed; its number and its version. */
export function saveDraft(
  db: Database,
  mailboxId: number,
  typed: Typed,
  now: Date,
): Promise<{ readonly id: number; readonly version: number }> {
  const { id, version, token, subject, html, answers, forwards, to, cc, bcc } = typed
  const values = {
    recipients: { to, cc, bcc },
    subject: subject.replace(/[\r\n]+/g, ' ').slice(0, 1000),
    html: letterHtml(html),
    saved_at: now,
  }
  return inTransaction(
    db,
    async tx => {
      const known =
        id === null
          ? await findOne(
              db,
              StandbyLetters,
              { token, mailbox_id: mailboxId },
              { columns: ['id', 'version'], tx, lock: true },
            )
          : await draftOf(db, mailboxId, id, tx)
      if (known) {
        // The first save may have been sent twice: nothing was typed in between that anybody has seen.
        if (id !== null && known.version !== version) throw new AppError('DRAFT_CHANGED')
        await update(db, StandbyLetters, { ...values, version: known.version + 1 }, { id: known.id }, tx)
        return { id: known.id, version: known.version + 1 }
      }
      const [{ n = 0 } = {}] = await select<{ n: number }>(
        db,
        "SELECT COUNT(*) AS n FROM standby_letters WHERE mailbox_id = :mailboxId AND state = 'draft'",
        { mailboxId },
        tx,
      )
      if (n >= mostDrafts) throw new AppError('TOO_MANY_DRAFTS')
      for (const key of [answers, forwards]) if (key !== '') await findWaiting(db, mailboxId, key)
      const made = await insertOne(
        db,
        StandbyLetters,
        { mailbox_id: mailboxId, token, answers, forwards, next_at: now, ...values },
        tx,
      )
      return { id: made, version: 1 }
    },
    { againOnDuplicate: true },
  )
}

/** Attaches a file to a draft; its number. */
export function attachFile(
  db: Database,
  mailboxId: number,
  { letter, name, content }: { readonly letter: number; readonly name: string; readonly content: Buffer },
): Promise<number> {
  return inTransaction(db, async tx => {
    await draftOf(db, mailboxId, letter, tx)
    const row = await findRow<{ bytes: number | null }>(
      db,
      'SELECT SUM(LENGTH(content)) AS bytes FROM standby_files WHERE letter_id = :letter',
      { letter },
      tx,
    )
    if (Number(row?.bytes ?? 0) + content.length > mostBytes) throw new AppError('LETTER_TOO_LARGE')
    // A path is nobody's business, and a line break would end the field it stands in.
    const plain =
      name
        .split(/[\\/]/)
        .at(-1)
        ?.replace(/\p{Cc}/gu, ' ')
        .trim()
        .slice(0, 200) || 'file'
    return insertOne(
      db,
      StandbyFiles,
      { letter_id: letter, name: plain, type: 'application/octet-stream', content },
      tx,
    )
  })
}

/** Takes a file off a draft. */
export async function detachFile(
  db: Database,
  mailboxId: number,
  letter: number,
  file: number,
): Promise<void> {
  await draftOf(db, mailboxId, letter)
  await remove(db, StandbyFiles, { id: file, letter_id: letter })
}

/** Throws a draft away. */
export async function dropDraft(db: Database, mailboxId: number, id: number): Promise<void> {
  await draftOf(db, mailboxId, id)
  await update(
    db,
    StandbyLetters,
    { state: 'gone', html: '', recipients: { to: [], cc: [], bcc: [] } },
    { id, state: 'draft' },
  )
  await remove(db, StandbyFiles, { letter_id: id })
}

/**
 * Sends a draft as it was saved last: it is noted and goes on like anything colleagues send, in the transaction that makes it a sent one. So it
 * goes once, however often it is asked for.
 */
export async function sendDraft(
  db: Database,
  mailboxId: number,
  { id, version }: { readonly id: number; readonly version: number },
  { now, read }: { readonly now: Date; readonly read: Reader['read'] },
): Promise<void> {
  const letter = await draftOf(db, mailboxId, id)
  if (letter.version !== version) throw new AppError('DRAFT_CHANGED')
  const recipients = await recipientsOf(letter.recipients)
  const mailbox = await findOne(db, Mailboxes, { id: mailboxId }, { columns: ['address', 'name'] })
  if (!mailbox) throw new AppError('LETTER_GONE')
  const raw = await compose(db, letter, mailbox, { now, read })
  const incoming = await readIncoming(
    {
      raw,
      envelopeFrom: mailbox.address,
      recipients,
      receivedAt: now,
      connection: { ip: '', helo: '' },
    },
    { trustedHosts: [], gateways: [] },
    { read },
  )
  await storeOutgoing(db, [{ ...incoming, goesOn: true }], async (tx, [message]) => {
    const sent = await update(
      db,
      StandbyLetters,
      { state: 'sent', sent_at: now, message_id: message ?? null, next_at: now },
      { id, state: 'draft', version },
      tx,
    )
    if (sent !== 1) throw new AppError('LETTER_SENT')
    await remove(db, StandbyFiles, { letter_id: id }, tx)
    const answered = readKey(letter.answers)
    if (answered)
      await execute(
        db,
        `INSERT INTO standby_marks (mailbox_id, kind, subject_id, seen_at, answered_at, next_at) VALUES (:mailboxId, :kind, :subject, :now, :now, :now)
         ON DUPLICATE KEY UPDATE answered_at = :now, done_at = NULL, next_at = :now`,
        { mailboxId, kind: answered.kind, subject: answered.id, now },
        tx,
      )
  })
}

/** Everybody it goes to, each once. @throws BAD_RECIPIENTS with those that are none. */
async function recipientsOf({ to, cc, bcc }: LetterRecipients): Promise<readonly string[]> {
  const all = [...to, ...cc, ...bcc].map(text => ({ text, read: parseAddress(text.trim()) }))
  const wrong = all.flatMap(({ text, read }) => (read.ok ? [] : [text]))
  if (wrong.length > 0) throw new AppError('BAD_RECIPIENTS', { lines: wrong.slice(0, 5).join(', ') })
  const found = [...new Set(all.flatMap(({ read }) => (read.ok ? [addressText(read.value)] : [])))]
  if (found.length === 0) throw new AppError('NO_RECIPIENTS')
  if (found.length > mostRecipients) throw new AppError('TOO_MANY_RECIPIENTS')
  return found
}

/** The bytes of a letter: multipart/alternative, in the thread of what it answers (RFC 5322 §3.6.4). Blind copies stand nowhere in it. */
async function compose(
  db: Database,
  letter: Letter,
  mailbox: { readonly address: string; readonly name: string },
  { now, read }: { readonly now: Date; readonly read: Reader['read'] },
): Promise<Buffer> {
  const [organisation, files, thread, forwarded] = await Promise.all([
    readOrganisation(db),
    findAll(db, StandbyFiles, { letter_id: letter.id }, { order: [['id', 'ASC']] }),
    threadOfKey(db, letter, read),
    letter.forwards === '' ? null : findWaiting(db, letter.mailbox_id, letter.forwards),
  ])
  return new MailComposer({
    from: { name: mailbox.name, address: mailbox.address },
    to: [...letter.recipients.to],
    cc: [...letter.recipients.cc],
    subject: letter.subject,
    text: readHtml(letter.html).text,
    html: `<!doctype html><html><body>${letter.html}</body></html>`,
    date: now,
    messageId: `<${randomUUID()}@${ownDomain(organisation)}>`,
    ...(thread.length > 0 ? { inReplyTo: thread.at(-1), references: [...thread] } : {}),
    attachments: [
      ...files.map(({ name, type, content }) => ({ filename: name, contentType: type, content })),
      ...(forwarded === null
        ? []
        : [{ filename: 'message.eml', contentType: 'message/rfc822', content: forwarded.raw }]),
    ],
  })
    .compile()
    .build()
}

/** What stands in References: the message’s own, or what it answers where it has none, then its own Message-ID. */
async function threadOfKey(
  db: Database,
  { mailbox_id, answers }: Letter,
  read: Reader['read'],
): Promise<readonly string[]> {
  if (answers === '') return []
  const { messageId } = await findWaiting(db, mailbox_id, answers)
  const reading = await findReading(db, messageId, read)
  const idsIn = (name: string) =>
    reading?.headers.find(header => header.name.toLowerCase() === name)?.value.match(/<[^<>\s]{1,900}>/g) ??
    []
  const references = idsIn('references')
  const parents = idsIn('in-reply-to')
  const before = references.length > 0 ? references : parents.length === 1 ? parents : []
  // As long as a field may sensibly be; the first says which thread it is.
  const kept = before.length > 20 ? [...before.slice(0, 1), ...before.slice(-19)] : before
  return [...kept, ...idsIn('message-id').slice(0, 1)]
}

/** Suggestions shown at once. */
const mostSuggested = 8

/** Addresses that fit what is typed: colleagues, and whom this mailbox has written to. */
export function suggest(
  db: Database,
  mailboxId: number,
  text: string,
): Promise<{ address: string; name: string }[]> {
  const find = containing(text)
  return select(
    db,
    `SELECT address, MAX(name) AS name FROM (
       (SELECT b.address, b.name, 1000000 AS weight FROM mailboxes b WHERE b.closed_at IS NULL AND (b.address LIKE :find OR b.name LIKE :find) LIMIT 20)
       UNION ALL
       (SELECT c.address, '' AS name, c.n AS weight FROM correspondence c WHERE c.mailbox_id = :mailboxId AND c.address LIKE :find ORDER BY c.n DESC LIMIT 20)
     ) s GROUP BY address ORDER BY MAX(weight) DESC, address LIMIT ${mostSuggested}`,
    { find, mailboxId },
  )
}
