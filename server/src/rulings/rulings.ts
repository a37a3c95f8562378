import type { DeliveryState, EntryBrief, RulingSentence } from '@pendro/contract'
import { isAgainstEvidence, planMoves, type PlannedMove } from '@pendro/core/delivery'
import { planChange, type ProposedEntry } from '@pendro/core/rulings'
import { patternText } from '@pendro/core/senders'
import { findToken } from '../acts/ruling-rows.ts'
import { findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { findAll, findOne } from '../db/rows.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { Rulings } from '../db/models/rulings.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { notAskedYet, type Ask } from '../lists/ask.ts'
import type { ListChange } from '../lists/change.ts'
import { checkEntries } from '../lists/drafts.ts'
import { briefs, entriesFor, lockLists, toEntry } from '../lists/entries.ts'
import { readHere, type Reader } from '../reading/reader.ts'
import { isWithin } from '../db/scope.ts'
import { isSteward, mailboxesOfRuler, ruledBy, type Ruler } from '../sign-in/sessions.ts'
import { teachingsOf, type Teaching } from './learning.ts'
import { asksOf, namePatterns, proposedEntries, ruledDeliveries, type RuledDelivery } from './proposals.ts'
import { overruledOf, type Overruled } from './overruled.ts'
import { inboxRulesFor } from './inbox-rules.ts'
import { rulingEntries } from './ruling-entries.ts'
import { writeRuling, type RulingPlan } from './write.ts'

export interface AppliedRuling {
  readonly id: number
  readonly at: string
  readonly deliveries: readonly { readonly id: number; readonly state: DeliveryState }[]
  readonly added: readonly EntryBrief[]
  readonly ended: readonly EntryBrief[]
  readonly overruled: readonly Overruled[]
}

interface Request {
  readonly who: Ruler
  readonly deliveryIds: readonly number[]
  readonly sentence: RulingSentence
  readonly token: string
  readonly now: Date
  /** For messages of before readings were kept; in the server a worker thread with a deadline. */
  readonly read?: Reader['read']
}

/**
 * Applies one ruling: deliveries, sender entries, learning, record and outbox in one transaction.
 * The same `token` again gives the same answer and does nothing.
 */
export async function applyRuling(db: Database, request: Request): Promise<AppliedRuling> {
  const { who, deliveryIds, sentence, token, read = readHere.read } = request
  refuseIdle(who, sentence)
  const teachings =
    sentence.learn === 'nothing' ? [] : await teachingsOf(db, await messagesOf(db, deliveryIds), read)
  const work = async (tx: Tx): Promise<AppliedRuling> => {
    const organisation = await readOrganisation(db, tx)
    const deliveries = await ruledDeliveries(db, deliveryIds, { tx, lock: true })
    refuseOthersMail(who, deliveries)
    // Asked behind the lock: the same request sent twice at once finds what the other one did.
    const before = await findToken(db, tx, token)
    const told = (id: number) => describeRuling(db, tx, id, deliveries, { organisation, now: request.now })
    if (before !== null) return told(before)
    const moves = await movesOf(db, tx, who, sentence, deliveries)
    refuseUnreasoned(who, sentence, deliveries)
    const senders = await planSenders(db, tx, request, { deliveries, organisation })
    const { id } = await writeRuling(db, tx, planOf(request, { deliveries, moves, senders, teachings }))
    return told(id)
  }
  // Two staffers may make the same entry at once, or one request may come twice.
  return inTransaction(db, work, { againOnDuplicate: true })
}

/** A sentence that does nothing, or that is a steward's to apply. */
export function refuseIdle(who: Ruler, { message, sender, learn, place, for: whom }: RulingSentence): void {
  if (message === 'leave' && sender === 'as-is' && learn === 'nothing' && place === undefined)
    throw new AppError('NOTHING_TO_DO')
  if (sender !== 'as-is' && whom === 'everyone' && !isSteward(who)) throw new AppError('NEEDS_STEWARD')
}

async function messagesOf(db: Database, deliveryIds: readonly number[]): Promise<readonly number[]> {
  const rows = await findAll(db, Deliveries, { id: [...deliveryIds] }, { columns: ['message_id'] })
  return rows.map(({ message_id }) => message_id)
}

/** Nobody rules on mail that is not theirs to look after; whose number was guessed is told as little as that it exists. */
export function refuseOthersMail(who: Ruler, deliveries: readonly RuledDelivery[]): void {
  const scope = mailboxesOfRuler(who)
  if (deliveries.some(({ mailbox_id }) => !isWithin(scope, mailbox_id)))
    throw new AppError('colleague' in who ? 'DELIVERY_NOT_FOUND' : 'OUT_OF_SCOPE')
}

/** A staffer who lets in what the evidence speaks against says why; colleagues answer for their own mail. */
function refuseUnreasoned(
  who: Ruler,
  { message, reason }: RulingSentence,
  deliveries: readonly RuledDelivery[],
): void {
  if ('colleague' in who || reason !== '') return
  if (deliveries.some(({ points }) => isAgainstEvidence(message, points)))
    throw new AppError('NEEDS_REASON', { context: 'against' })
}

interface Proposal {
  readonly deliveries: readonly RuledDelivery[]
  readonly organisation: Organisation
}

type Asked = Pick<Request, 'who' | 'sentence' | 'now'>

/** What becomes of senders: the change of the lists, or what the stewards are asked for. */
export interface SendersPlan {
  readonly proposed: readonly ProposedEntry[]
  /** `null` when no list changes. */
  readonly lists: ListChange | null
  readonly asks: readonly Ask[]
}

/** What a sentence says of the senders of some deliveries, with the lists it touches held. */
export async function planSenders(
  db: Database,
  tx: Tx,
  asked: Asked,
  { deliveries, organisation }: Proposal,
): Promise<SendersPlan> {
  const { sentence } = asked
  const proposed = proposedEntries(sentence, deliveries, organisation, asked.now)
  if (sentence.for !== 'request')
    return {
      proposed,
      asks: [],
      lists: await planLists(db, tx, asked, proposed, { deliveries, organisation }),
    }
  const asks = await notAskedYet(db, tx, asksOf(sentence, deliveries, proposed, organisation))
  if (proposed.length > 0 && asks.length === 0) throw new AppError('ALREADY_ASKED')
  return { proposed, lists: null, asks }
}

async function planLists(
  db: Database,
  tx: Tx,
  { who, sentence, now }: Asked,
  proposed: readonly ProposedEntry[],
  { deliveries, organisation }: Proposal,
): Promise<ListChange | null> {
  const texts = [...new Set(proposed.map(({ pattern }) => patternText(pattern)))]
  await lockLists(db, tx, proposed)
  const existing = await entriesFor(db, texts, mailboxesOf(deliveries), { tx, lock: true })
  const { add, end } = planChange(proposed, existing, now.getTime())
  checkEntries(who, proposed, end, sentence.reason, organisation)
  if (add.length + end.length === 0) return null
  const origin = 'colleague' in who ? ('digest' as const) : ('ruling' as const)
  return { add, end, existing, origin: { at: now, reason: sentence.reason, origin } }
}

interface Parts extends Pick<Proposal, 'deliveries'> {
  readonly moves: readonly PlannedMove[]
  readonly senders: SendersPlan
  readonly teachings: readonly Teaching[]
}

function planOf(
  { who, sentence, token, now }: Request,
  { deliveries, moves, senders, teachings }: Parts,
): RulingPlan {
  const { learn: verdict } = sentence
  const mailboxIds = mailboxesOf(deliveries)
  const [first] = deliveries
  return {
    token,
    by: ruledBy(who),
    at: now,
    sentence,
    moves,
    lists: senders.lists,
    asks: senders.asks,
    rules: sentence.place === 'inbox' ? inboxRulesFor(deliveries) : [],
    lesson:
      verdict === 'nothing'
        ? null
        : { verdict, teachings, clusters: deliveries.map(({ cluster_key }) => cluster_key) },
    record: {
      act: 'ruling',
      mailboxId: mailboxIds.length === 1 ? (mailboxIds[0] ?? null) : null,
      deliveryId: deliveries.length === 1 ? (first?.id ?? null) : null,
      facts: rulingFacts(sentence, senders, {
        deliveries: deliveries.length,
        colleagues: mailboxIds.length,
        first,
      }),
    },
  }
}

/** What the record keeps of a ruling; `first`: one of its deliveries, to name it by. */
export const rulingFacts = (
  { message, learn, sender, for: whom, until, place }: RulingSentence,
  { proposed, lists }: SendersPlan,
  about: {
    readonly deliveries: number
    readonly colleagues: number
    readonly first: Pick<RuledDelivery, 'subject' | 'from_address'> | null | undefined
  },
) => ({
  message,
  learn,
  sender,
  for: whom,
  until: until ?? '',
  ...(place === undefined ? {} : { place }),
  deliveries: about.deliveries,
  colleagues: about.colleagues,
  subject: about.first?.subject ?? '',
  from: about.first?.from_address ?? '',
  patterns: namePatterns(proposed),
  ended: lists?.end.length ?? 0,
})

const mailboxesOf = (deliveries: readonly RuledDelivery[]) => [
  ...new Set(deliveries.map(({ mailbox_id }) => mailbox_id)),
]

/** Where each delivery goes. One that can't go there refuses the whole ruling: nothing is half done. */
async function movesOf(
  db: Database,
  tx: Tx,
  who: Ruler,
  { message }: RulingSentence,
  deliveries: readonly RuledDelivery[],
): Promise<readonly PlannedMove[]> {
  const planned = planMoves(
    message,
    deliveries.map(delivery => ({ ...delivery, cameFrom: delivery.came_from })),
  )
  if (planned.ok) return planned.value
  const { code, delivery } = planned.problem
  if (message === 'leave') throw new Error('a delivery that is left where it is can always be left')
  if (code === 'sealed') throw new AppError('SEALED', { deliveryId: delivery.id })
  throw await whyNot(db, tx, who, message, delivery)
}

async function whyNot(
  db: Database,
  tx: Tx,
  who: Ruler,
  wanted: 'release' | 'discard' | 'restore',
  { id, state, subject }: RuledDelivery,
): Promise<AppError> {
  const first = await findRow<{
    name: string
    at: Date
    sentence: RulingSentence
    staffer_id: number | null
  }>(
    db,
    `SELECT COALESCE(s.name, 'The colleague') AS name, r.at, r.sentence, r.staffer_id FROM ruling_deliveries x JOIN rulings r ON r.id = x.ruling_id LEFT JOIN staffers s ON s.id = r.staffer_id
     WHERE x.delivery_id = :id AND r.undone_at IS NULL AND x.from_state <> x.to_state ORDER BY r.id DESC LIMIT 1`,
    { id },
    tx,
  )
  if (first) {
    const { message } = first.sentence
    const isOwn = 'staffer' in who && first.staffer_id === who.staffer.id
    const facts = { by: first.name, at: first.at.toISOString(), deliveryId: id, subject }
    return message === 'leave'
      ? new AppError('ALREADY_RULED', facts)
      : new AppError('ALREADY_RULED', { ...facts, context: isOwn ? `own-${message}` : message })
  }
  return new AppError('WRONG_STATE', { context: wanted, deliveryId: id, state, subject })
}

export async function describeRuling(
  db: Database,
  tx: Tx,
  id: number,
  ruled: readonly RuledDelivery[],
  context: { readonly organisation: Organisation; readonly now: Date },
): Promise<AppliedRuling> {
  const ruling = await findOne(db, Rulings, { id }, { columns: ['at'], tx })
  const deliveries = await select<{ id: number; state: DeliveryState }>(
    db,
    'SELECT x.delivery_id AS id, d.state FROM ruling_deliveries x JOIN deliveries d ON d.id = x.delivery_id WHERE x.ruling_id = :id',
    { id },
    tx,
  )
  const rows = await rulingEntries(db, tx, id)
  const shown = await briefs(db, rows.map(toEntry), tx)
  const named = (what: string) =>
    rows.filter(row => row.what === what).flatMap(row => shown.get(row.id) ?? [])
  const added = named('added')
  const made = added.map(entry => entry.id)
  return {
    id,
    at: ruling?.at.toISOString() ?? '',
    deliveries,
    added,
    ended: named('ended'),
    overruled: await overruledOf(db, tx, made, ruled, context),
  }
}
