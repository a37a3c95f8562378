import { createHash, randomUUID } from 'node:crypto'
import type { DeliveryState } from '@pendro/core/delivery'
import { no, yes, type Parsed } from '@pendro/core/address'
import { nearestReference, readReply, type ReadReply } from '@pendro/core/digest'
import { readHtml, type Message } from '@pendro/core/message'
import { inTransaction, select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Deliveries } from '../db/models/deliveries.ts'
import type { Fate, ReplyFacts } from '../db/models/shapes.ts'
import { type DigestLines, DigestReplies } from '../db/models/digests.ts'
import { exists, findOne, insertOne, update } from '../db/rows.ts'
import { ownMailboxes, readOrganisation, type Organisation } from '../db/organisation.ts'
import { noteLook } from '../deliveries/looks.ts'
import { AppError } from '../errors.ts'
import { sendFreshDigest } from './digests.ts'
import { announce } from '../live/events.ts'
import { composeOwnMail, organisationWords } from '../outbox/own-mail.ts'
import { findProvenColleague, type HandedIn, type ProvenColleague } from '../intake/proven-colleague.ts'
import type { SmtpRefusal } from '../intake/smtp-answers.ts'
import { enqueue } from '../outbox/queue.ts'
import { pendro, writeRecord } from '../record/write.ts'
import { applyRuling } from '../rulings/rulings.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { translator } from '../wording.ts'

interface Pages {
  /** Where a digest that is asked for leads; '' where colleagues have no pages of their own. */
  readonly publicUrl: string
}

/**
 * Takes a reply to a digest (domain.md §6). Only from a colleague whose mail is proven; the problem is the
 * code of the SMTP answer. What was asked for is released, and the answer is queued, before it is acknowledged.
 */
export async function takeReply(
  db: Database,
  given: HandedIn & Pages,
): Promise<Parsed<ReadReply['kind'], SmtpRefusal>> {
  const { raw, parsed, envelopeFrom, now, publicUrl } = given
  if (!parsed.ok) return no('unreadable-reply')
  const message = parsed.value
  const html = message.html === null ? null : readHtml(message.html, { leaveStruck: true })
  const read = readReply({
    headers: message.headers,
    envelopeFrom,
    subject: message.subject,
    text: message.text,
    htmlText: html?.text ?? '',
    struckText: html?.struckText ?? '',
  })
  const colleague = await findProvenColleague(db, message, given)
  // A notice of absence is taken and does nothing, whoever sent it: refusing it would make more mail.
  if (read.kind === 'automatic' && typeof colleague === 'string') return yes(read.kind)
  if (colleague === 'nobody') return no('reply-not-colleague')
  if (colleague === 'not-proven') return no('reply-unproven')
  // A sender that did not hear our answer sends the same again.
  const hash = createHash('sha256').update(raw).digest('hex')
  if (await exists(db, DigestReplies, { source_hash: hash })) return yes(read.kind)
  const facts = await act(db, colleague, read, { now, publicUrl })
  // Whoever answers a digest has read it.
  if (read.kind !== 'automatic')
    await noteLook(db, await ownMailboxes(db, colleague.id, now), { junk: false, now })
  await keep(db, { raw, hash, message, colleague, read, facts, now })
  return yes(read.kind)
}

type LineRow = Pick<RowOf<typeof DigestLines>, 'delivery_id' | 'reference' | 'mailbox_id'> &
  Pick<RowOf<typeof Deliveries>, 'subject' | 'state'>

async function act(
  db: Database,
  colleague: ProvenColleague,
  read: ReadReply,
  { now, publicUrl }: Pick<HandedIn, 'now'> & Pages,
): Promise<ReplyFacts> {
  if (read.kind === 'automatic') return { fates: [], slips: [], sign: read.sign }
  const mailboxIds = await ownMailboxes(db, colleague.id, now)
  if (read.kind === 'fresh') {
    const { id, name } = colleague
    const fresh = await askFresh(db, { colleague: { id, name, mailboxIds } }, { now, publicUrl })
    return { fates: [], slips: [], sign: '', fresh }
  }
  // A slip is told by the line it was most likely meant to be: any the colleague was ever sent.
  const known = read.slips.length > 0 ? await linesOf(db, mailboxIds, null) : []
  const references = known.flatMap(line => line.reference ?? [])
  const slips = read.slips.map(typed => ({ typed, meant: nearestReference(typed, references) ?? '' }))
  if (read.kind !== 'asked') return { fates: [], slips, sign: '' }
  const lines = await linesOf(db, mailboxIds, [...read.references, ...read.perhaps])
  const byReference = new Map(lines.map(line => [line.reference, line]))
  // Six symbols without a hyphen are a code only where the colleague was sent it.
  const asked = [...read.references, ...read.perhaps.filter(one => byReference.has(one))]
  const fates: ReplyFacts['fates'][number][] = []
  for (const reference of asked) {
    const line = byReference.get(reference)
    const fate = line ? await release(db, colleague, mailboxIds, line, now) : 'unknown'
    fates.push({ reference, fate, subject: line?.subject ?? '' })
  }
  return { fates, slips, sign: '' }
}

/** What came of asking for a digest. */
async function askFresh(
  db: Database,
  who: Parameters<typeof sendFreshDigest>[1],
  given: Parameters<typeof sendFreshDigest>[2],
): Promise<'sent' | 'nothing' | 'just-sent'> {
  try {
    await sendFreshDigest(db, who, given)
    return 'sent'
  } catch (error) {
    if (!(error instanceof AppError)) throw error
    if (error.code === 'NOTHING_TO_SEND') return 'nothing'
    if (error.code === 'DIGEST_JUST_SENT' || error.code === 'DIGEST_RUNNING') return 'just-sent'
    throw error
  }
}

function linesOf(
  db: Database,
  mailboxIds: readonly number[],
  references: readonly string[] | null,
): Promise<readonly LineRow[]> {
  return select<LineRow>(
    db,
    `SELECT l.delivery_id, l.reference, l.mailbox_id, d.subject, d.state FROM digest_lines l JOIN deliveries d ON d.id = l.delivery_id
     WHERE l.mailbox_id IN (:mailboxIds) AND ${references === null ? 'l.reference IS NOT NULL' : 'l.reference IN (:references)'}
     ORDER BY l.delivery_id DESC LIMIT 5000`,
    { mailboxIds, references: references ?? [] },
  )
}

/** One after the other: that one can't be released is no reason to keep the others. */
async function release(
  db: Database,
  colleague: ProvenColleague,
  mailboxIds: readonly number[],
  line: LineRow,
  now: Date,
): Promise<Fate> {
  const fate = fateByState(line.state)
  if (fate !== 'released') return fate
  try {
    await applyRuling(db, {
      who: { colleague: { id: colleague.id, mailboxIds, name: colleague.name } },
      deliveryIds: [line.delivery_id],
      sentence: {
        message: 'release',
        learn: 'wanted',
        sender: 'as-is',
        width: 'address',
        for: 'colleague',
        withoutAuthentication: false,
        reason: '',
      },
      token: randomUUID(),
      now,
    })
    return 'released'
  } catch (error) {
    // Somebody was first, between our look and our act.
    if (error instanceof AppError && error.code === 'ALREADY_RULED') return 'released-before'
    if (error instanceof AppError) return 'gone'
    throw error
  }
}

/** What becomes of a reference by where its delivery is; every state is named, so that a new one can't be forgotten. */
function fateByState(state: DeliveryState): Fate {
  switch (state) {
    case 'quarantined':
    case 'junk':
    case 'bounced':
      return 'released'
    case 'deferred':
      return 'on-its-way'
    case 'sealed':
      return 'sealed'
    case 'discarded':
      return 'discarded'
    case 'expired':
      return 'gone'
    case 'inspecting':
    case 'inbox':
    case 'aside':
    case 'moved':
    case 'released':
      return 'released-before'
  }
}

interface ToKeep {
  readonly raw: Buffer
  readonly hash: string
  readonly message: Message
  readonly colleague: ProvenColleague
  readonly read: ReadReply
  readonly facts: ReplyFacts
  readonly now: Date
}

const settled: ReadonlySet<Fate> = new Set(['released', 'released-before', 'on-its-way'])

/** The reply, what became of it, and the answer on its way: staffers see those that need a look. */
async function keep(
  db: Database,
  { raw, hash, message, colleague, read, facts, now }: ToKeep,
): Promise<void> {
  const organisation = await readOrganisation(db)
  const needsLook =
    read.kind === 'nothing-left' ||
    (read.kind === 'asked' && facts.fates.length === 0) ||
    facts.slips.length > 0 ||
    facts.fates.some(({ fate }) => !settled.has(fate))
  await inTransaction(db, async tx => {
    // RFC 3834 §2: what no person sent is not answered.
    // A digest that was asked for answers for itself.
    const answer =
      read.kind === 'automatic' || facts.fresh === 'sent'
        ? null
        : await buildAnswer(organisation, colleague, message, facts, now)
    const id = await insertOne(
      db,
      DigestReplies,
      {
        received_at: now,
        mailbox_id: colleague.id,
        subject: message.subject.slice(0, 500),
        source: raw,
        source_hash: hash,
        outcome: read.kind,
        needs_look: read.kind !== 'automatic' && needsLook,
        facts,
        answer,
      },
      tx,
    )
    if (answer) await enqueue(db, tx, 'answer', [{ subjectId: id, place: String(colleague.id), at: now }])
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'digest-reply',
        by: read.kind === 'automatic' ? pendro : { kind: 'colleague', id: null, name: colleague.name },
        mailboxId: colleague.id,
        facts: {
          released: facts.fates.filter(({ fate }) => fate === 'released').length,
          asked: facts.fates.length,
        },
      },
    ])
    await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: colleague.name }])
  })
}

/** In the colleague's language, in thread (RFC 5322 §3.6.4), and marked as RFC 3834 §5 asks. */
function buildAnswer(
  organisation: Organisation,
  colleague: ProvenColleague,
  message: Message,
  { fates, slips, fresh }: ReplyFacts,
  now: Date,
): Promise<Buffer> {
  const t = translator(colleague.language)
  const released = fates.filter(({ fate }) => fate === 'released').length
  const lines = [
    t('digestAnswer.greeting', { name: colleague.name }),
    fresh !== undefined
      ? t(`digestAnswer.fresh.${fresh}`)
      : fates.length === 0
        ? t('digestAnswer.nothing')
        : t('digestAnswer.released', { count: released }),
    ...fates.map(({ reference, fate, subject }) =>
      [reference, subject, t(`digestAnswer.fate.${fate}`)].filter(part => part !== '').join('\n  '),
    ),
    ...slips.map(({ typed, meant }) =>
      t(meant === '' ? 'digestAnswer.slip' : 'digestAnswer.slipMeant', { typed, meant }),
    ),
    t('digestAnswer.help', { organisation: organisation.name }),
    organisationWords(organisation, 'foot', colleague.language),
  ].filter(line => line !== '')
  return composeOwnMail(organisation, {
    language: colleague.language,
    to: { name: colleague.name, address: colleague.address },
    subject: /^re:/i.test(message.subject) ? message.subject : `Re: ${message.subject}`,
    text: `${lines.join('\n\n')}\n`,
    date: now,
    id: `answer-${randomUUID()}`,
    automatic: 'auto-replied',
    answers: message.messageId === null ? [] : [message.messageId],
  })
}

/** Somebody has read a reply that the rules could not settle; who, stands in the record. */
export async function lookedAt(db: Database, who: SignedIn, id: number, now: Date): Promise<void> {
  await inTransaction(db, async tx => {
    const reply = await findOne(
      db,
      DigestReplies,
      { id, needs_look: true },
      { columns: ['mailbox_id'], tx, lock: true },
    )
    if (!reply) return
    await update(db, DigestReplies, { needs_look: false }, { id }, tx)
    await writeRecord(db, tx, [
      { at: now, act: 'reply-looked-at', by: actor(who), mailboxId: reply.mailbox_id },
    ])
    await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: who.staffer.name }])
  })
}
