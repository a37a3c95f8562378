import type { DeliveryState, EntryBrief, RulingSentence } from '@pendro/contract'
import { planChange, type RegisterChange } from '@pendro/core/rulings'
import { displayPattern, patternText, type SenderEntry } from '@pendro/core/senders'
import { isLegal, memoryAfter, placeAfter, transitions } from '@pendro/core/delivery'
import { insertRuling, markUndone, noteDeliveries } from '../acts/ruling-rows.ts'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { moveBack, moveDeliveries } from '../deliveries/move.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { readHere, type Reader } from '../reading/reader.ts'
import { cancelReleases, enqueue } from '../outbox/queue.ts'
import { writeRecord } from '../record/write.ts'
import { changeLists, endEntries } from '../senders/changes.ts'
import { checkEntries } from '../senders/drafts.ts'
import {
  briefs,
  entriesFor,
  entryColumns,
  lockLists,
  toEntry,
  type EntryOrigin,
  type EntryRow,
} from '../senders/entries.ts'
import { askUpkeep } from '../senders/upkeep-asked.ts'
import { actor, isSteward, rulerColumns, type Ruler } from '../sign-in/sessions.ts'
import { shiftClusters } from '../judging/clusters.ts'
import { learn, teachingsOf, unlearn } from './learning.ts'
import { proposedEntries, ruledDeliveries, type RuledDelivery } from './proposals.ts'

export interface AppliedRuling {
  readonly id: number
  readonly at: string
  readonly deliveries: readonly { readonly id: number; readonly state: DeliveryState }[]
  readonly added: readonly EntryBrief[]
  readonly ended: readonly EntryBrief[]
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
export async function applyRuling(
  db: Database,
  { who, deliveryIds, sentence, token, now, read = readHere.read }: Request,
): Promise<AppliedRuling> {
  if (sentence.message === 'leave' && sentence.sender === 'as-is' && sentence.learn === 'nothing')
    throw new AppError('NOTHING_TO_DO')
  if (sentence.sender !== 'as-is' && sentence.for === 'everyone' && !isSteward(who))
    throw new AppError('NEEDS_STEWARD')
  const teachings =
    sentence.learn === 'nothing' ? [] : await teachingsOf(db, await messagesOf(db, deliveryIds), read)
  const work = async (tx: Tx): Promise<AppliedRuling> => {
    const organisation = await readOrganisation(db, tx)
    const deliveries = await ruledDeliveries(db, deliveryIds, { tx, lock: true })
    refuseOthersMail(who, deliveries)
    // Asked behind the lock: the same request sent twice at once finds what the other one did.
    const before = await findRow<{ id: number }>(
      db,
      'SELECT id FROM rulings WHERE token = :token',
      { token },
      tx,
    )
    if (before) return describeRuling(db, tx, before.id)

    const moves = await planMoves(db, tx, sentence, deliveries)
    const proposed = proposedEntries(sentence, deliveries, organisation, now)
    const texts = [...new Set(proposed.map(({ pattern }) => patternText(pattern)))]
    const mailboxIds = [...new Set(deliveries.map(({ mailbox_id }) => mailbox_id))]
    await lockLists(db, tx, proposed)
    const existing = await entriesFor(db, texts, mailboxIds, { tx, lock: true })
    const change = planChange(proposed, existing, now.getTime())
    checkEntries(who, proposed, change.end, sentence.reason, organisation)

    const rulingId = await insertRuling(db, tx, { token, by: rulerColumns(who), at: now, sentence })
    const entryId = await changeRegister(db, tx, rulingId, {
      change,
      existing,
      reason: sentence.reason,
      origin: 'colleague' in who ? 'digest' : 'ruling',
      now,
    })
    await noteDeliveries(
      db,
      tx,
      rulingId,
      moves.map(({ delivery, to }) => ({ id: delivery.id, from: delivery.state, to })),
    )
    await carryOut(db, tx, sentence.message, moves, now)
    if (sentence.learn !== 'nothing') {
      await learn(db, tx, rulingId, sentence.learn, teachings)
      await shiftClusters(db, tx, clusterKeys(deliveries), sentence.learn, 1)
    }
    const first = deliveries[0]
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'ruling',
        by: actor(who),
        mailboxId: mailboxIds.length === 1 ? (mailboxIds[0] ?? null) : null,
        deliveryId: deliveries.length === 1 ? (first?.id ?? null) : null,
        rulingId,
        reason: sentence.reason,
        facts: {
          message: sentence.message,
          learn: sentence.learn,
          sender: sentence.sender,
          for: sentence.for,
          until: sentence.until ?? '',
          deliveries: deliveries.length,
          colleagues: mailboxIds.length,
          subject: first?.subject ?? '',
          from: first?.from_address ?? '',
          patterns: [...new Set(proposed.map(({ pattern }) => displayPattern(pattern)))]
            .slice(0, 5)
            .join(', '),
          ended: change.end.length,
          entry: entryId,
        },
      },
    ])
    await announce(
      db,
      tx,
      now,
      moves.map(({ delivery, to }) => ({
        kind: 'ruled',
        deliveryId: delivery.id,
        state: to,
        by: actor(who).name,
      })),
    )
    return describeRuling(db, tx, rulingId)
  }
  // Two staffers may make the same entry at once, or one request may come twice.
  return inTransaction(db, work, { againOnDuplicate: true })
}

async function messagesOf(db: Database, deliveryIds: readonly number[]): Promise<readonly number[]> {
  const rows = await select<{ message_id: number }>(
    db,
    'SELECT message_id FROM deliveries WHERE id IN (:deliveryIds)',
    { deliveryIds },
  )
  return rows.map(({ message_id }) => message_id)
}

/** Whose number somebody guessed is told as little as that it exists. */
function refuseOthersMail(who: Ruler, deliveries: readonly RuledDelivery[]): void {
  if (!('colleague' in who)) return
  const own = new Set(who.colleague.mailboxIds)
  if (deliveries.some(({ mailbox_id }) => !own.has(mailbox_id))) throw new AppError('DELIVERY_NOT_FOUND')
}

const clusterKeys = (deliveries: readonly { readonly cluster_key: string }[]) =>
  deliveries.map(({ cluster_key }) => cluster_key)

interface Move {
  readonly delivery: RuledDelivery
  readonly to: DeliveryState
}

/** Where each delivery goes. One that can't go there refuses the whole ruling: nothing is half done. */
async function planMoves(
  db: Database,
  tx: Tx,
  { message }: RulingSentence,
  deliveries: readonly RuledDelivery[],
): Promise<readonly Move[]> {
  if (message === 'leave') return deliveries.map(delivery => ({ delivery, to: delivery.state }))
  const moves: Move[] = []
  for (const delivery of deliveries) {
    const { id, state, came_from } = delivery
    if (message === 'release' && state === 'sealed') throw new AppError('SEALED', { deliveryId: id })
    if (!isLegal(message, state)) throw await whyNot(db, tx, message, delivery)
    moves.push({ delivery, to: placeAfter(message, { cameFrom: came_from }) })
  }
  return moves
}

async function whyNot(
  db: Database,
  tx: Tx,
  wanted: 'release' | 'discard' | 'restore',
  { id, state, subject }: RuledDelivery,
): Promise<AppError> {
  const first = await findRow<{ name: string; at: Date; sentence: RulingSentence }>(
    db,
    `SELECT COALESCE(s.name, 'The colleague') AS name, r.at, r.sentence FROM ruling_deliveries x JOIN rulings r ON r.id = x.ruling_id LEFT JOIN staffers s ON s.id = r.staffer_id
     WHERE x.delivery_id = :id AND r.undone_at IS NULL AND x.from_state <> x.to_state ORDER BY r.id DESC LIMIT 1`,
    { id },
    tx,
  )
  if (first) {
    const { message } = first.sentence
    const facts = { by: first.name, at: first.at.toISOString(), deliveryId: id, subject }
    return message === 'leave'
      ? new AppError('ALREADY_RULED', facts)
      : new AppError('ALREADY_RULED', { ...facts, context: message })
  }
  return new AppError('WRONG_STATE', { context: wanted, deliveryId: id, state, subject })
}

async function carryOut(
  db: Database,
  tx: Tx,
  message: RulingSentence['message'],
  moves: readonly Move[],
  now: Date,
): Promise<void> {
  if (message === 'leave') return
  await moveDeliveries(
    db,
    tx,
    message,
    moves.map(({ delivery: { id, state, came_from }, to }) => ({
      id,
      from: state,
      to,
      boundFor: to === 'deferred' ? 'released' : null,
      cameFrom: memoryAfter(state, { cameFrom: came_from }),
    })),
  )
  if (transitions[message].queues)
    await enqueue(
      db,
      tx,
      'delivery',
      moves.map(({ delivery }) => ({ subjectId: delivery.id, place: 'released', at: now })),
      // A job that ended in a refusal makes room for a new try.
      { again: true },
    )
}

interface RegisterWrite {
  readonly change: RegisterChange
  readonly existing: readonly SenderEntry[]
  readonly reason: string
  readonly origin: EntryOrigin['origin']
  readonly now: Date
}

/** The number of the first entry it touched; 0 for none. */
async function changeRegister(
  db: Database,
  tx: Tx,
  rulingId: number,
  { change, existing, reason, origin, now }: RegisterWrite,
): Promise<number> {
  if (change.add.length + change.end.length === 0) return 0
  const added = await changeLists(db, tx, rulingId, {
    add: change.add,
    end: change.end,
    existing,
    origin: { at: now, reason, origin },
  })
  await askUpkeep(db, tx, now)
  return added[0]?.id ?? change.end[0]?.id ?? 0
}

async function describeRuling(db: Database, tx: Tx, id: number): Promise<AppliedRuling> {
  const ruling = await findRow<{ at: Date }>(db, 'SELECT at FROM rulings WHERE id = :id', { id }, tx)
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
  return { id, at: ruling?.at.toISOString() ?? '', deliveries, added: named('added'), ended: named('ended') }
}

function rulingEntries(
  db: Database,
  tx: Tx,
  id: number,
): Promise<(EntryRow & { what: 'added' | 'ended' })[]> {
  return select(
    db,
    `SELECT ${entryColumns}, x.what FROM ruling_entries x JOIN sender_entries e ON e.id = x.entry_id WHERE x.ruling_id = :id ORDER BY e.id`,
    { id },
    tx,
  )
}

export interface UndoneRuling {
  readonly deliveries: readonly { readonly id: number; readonly state: DeliveryState }[]
  readonly stayedReleased: number
}

/** Undoes a ruling as one act. What the mail store already has stays delivered, and is counted. */
export async function undoRuling(db: Database, who: Ruler, id: number, now: Date): Promise<UndoneRuling> {
  return inTransaction(db, async tx => {
    const ruling = await findRow<{
      undone_at: Date | null
      sentence: RulingSentence
      colleague_id: number | null
    }>(db, 'SELECT undone_at, sentence, colleague_id FROM rulings WHERE id = :id FOR UPDATE', { id }, tx)
    const mine = 'staffer' in who || ruling?.colleague_id === who.colleague.id
    if (!ruling || !mine) throw new AppError('RULING_NOT_FOUND')
    if (ruling.undone_at) throw new AppError('ALREADY_UNDONE')
    const entries = await rulingEntries(db, tx, id)
    await lockLists(db, tx, entries.map(toEntry))
    await refuseBuiltOn(db, tx, id)
    if (entries.some(row => row.mailbox_id === null) && !isSteward(who)) {
      throw new AppError('NEEDS_STEWARD', { context: 'undo' })
    }
    const moved = await movedDeliveries(db, tx, id)
    await markUndone(db, tx, id, now)
    await restoreRegister(db, tx, entries, now)
    if (entries.length > 0) {
      // A request whose approval is taken back waits again, unless it was asked anew meanwhile.
      await execute(
        db,
        "UPDATE IGNORE entry_requests SET state = 'open', answer = '', answered_at = NULL, ruling_id = NULL WHERE ruling_id = :id",
        { id },
        tx,
      )
      await askUpkeep(db, tx, now)
      await announce(db, tx, now, [{ kind: 'senders', deliveryId: null, state: null, by: actor(who).name }])
    }
    await unlearn(db, tx, id)
    const { learn: learned } = ruling.sentence
    if (learned !== 'nothing') await shiftClusters(db, tx, clusterKeys(moved), learned, -1)
    const deliveries = await putBack(db, tx, moved, now)
    const stayedReleased = moved.filter(
      ({ to_state }, i) => to_state === 'deferred' && deliveries[i]?.state !== moved[i]?.from_state,
    ).length
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'undo',
        by: actor(who),
        rulingId: id,
        deliveryId: moved.length === 1 ? (moved[0]?.delivery_id ?? null) : null,
        facts: { deliveries: moved.length, stayedReleased },
      },
    ])
    await announce(
      db,
      tx,
      now,
      deliveries.map(({ id: deliveryId, state }) => ({
        kind: 'ruled',
        deliveryId,
        state,
        by: actor(who).name,
      })),
    )
    return { deliveries, stayedReleased }
  })
}

/** A later ruling may have changed or ended what this one added; undoing this one would bring back both. */
async function refuseBuiltOn(db: Database, tx: Tx, id: number): Promise<void> {
  const later = await select<EntryRow & { name: string; ruling_id: number }>(
    db,
    `SELECT ${entryColumns}, r.id AS ruling_id, COALESCE(s.name, b.name, '') AS name
     FROM ruling_entries x JOIN ruling_entries y ON y.entry_id = x.entry_id AND y.ruling_id > x.ruling_id
     JOIN rulings r ON r.id = y.ruling_id JOIN sender_entries e ON e.id = x.entry_id
     LEFT JOIN staffers s ON s.id = r.staffer_id LEFT JOIN mailboxes b ON b.id = r.colleague_id
     WHERE x.ruling_id = :id AND x.what = 'added' AND r.undone_at IS NULL ORDER BY r.id DESC LIMIT 1000`,
    { id },
    tx,
  )
  const [last] = later
  if (last)
    throw new AppError('LATER_RULING', {
      context: 'entries',
      by: last.name,
      named: namesOf(later.map(row => displayPattern(toEntry(row).pattern))),
      changes: later.length,
      rulings: [...new Set(later.map(({ ruling_id }) => ruling_id))].slice(0, 20),
    })
}

const mostNamed = 3

const namesOf = (names: readonly string[]) =>
  names.slice(0, mostNamed).join(', ') + (names.length > mostNamed ? ' …' : '')

interface Moved {
  readonly delivery_id: number
  readonly from_state: DeliveryState
  readonly to_state: DeliveryState
  readonly state: DeliveryState
  readonly cluster_key: string
}

async function movedDeliveries(db: Database, tx: Tx, rulingId: number): Promise<readonly Moved[]> {
  const moved = await select<Moved & { subject: string; later: number | null }>(
    db,
    `SELECT x.delivery_id, x.from_state, x.to_state, d.state, d.cluster_key, d.subject,
       (SELECT MAX(r.id) FROM ruling_deliveries y JOIN rulings r ON r.id = y.ruling_id
        WHERE y.delivery_id = x.delivery_id AND y.ruling_id > x.ruling_id AND r.undone_at IS NULL
          AND y.from_state <> y.to_state AND x.from_state <> x.to_state) AS later
     FROM ruling_deliveries x JOIN deliveries d ON d.id = x.delivery_id WHERE x.ruling_id = :rulingId ORDER BY x.delivery_id FOR UPDATE`,
    { rulingId },
    tx,
  )
  const built = moved.find(({ later }) => later !== null)
  if (built) {
    const by = await findRow<{ name: string }>(
      db,
      `SELECT COALESCE(s.name, b.name, '') AS name FROM rulings r LEFT JOIN staffers s ON s.id = r.staffer_id
       LEFT JOIN mailboxes b ON b.id = r.colleague_id WHERE r.id = :later`,
      { later: built.later },
      tx,
    )
    throw new AppError('LATER_RULING', {
      context: 'delivery',
      by: by?.name ?? '',
      named: built.subject,
      rulings: [built.later],
    })
  }
  return moved
}

/** Puts back what can be put back; where each delivery is then. */
async function putBack(
  db: Database,
  tx: Tx,
  moved: readonly Moved[],
  now: Date,
): Promise<readonly { readonly id: number; readonly state: DeliveryState }[]> {
  const released = moved.filter(one => one.to_state === 'deferred' && one.from_state !== 'deferred')
  const cancelled = await cancelReleases(
    db,
    tx,
    released.filter(({ state }) => state === 'deferred').map(({ delivery_id }) => delivery_id),
    now,
  )
  const returns = moved.filter(({ delivery_id, from_state, to_state, state }) => {
    if (from_state === to_state) return false
    return to_state === 'deferred' ? cancelled.has(delivery_id) : state === to_state
  })
  await moveBack(
    db,
    tx,
    returns.map(({ delivery_id, state, from_state }) => ({ id: delivery_id, from: state, to: from_state })),
  )
  const back = new Set(returns)
  return moved.map(one => ({ id: one.delivery_id, state: back.has(one) ? one.from_state : one.state }))
}

async function restoreRegister(
  db: Database,
  tx: Tx,
  entries: readonly (EntryRow & { what: 'added' | 'ended' })[],
  now: Date,
): Promise<void> {
  await endEntries(
    db,
    tx,
    entries.filter(({ what }) => what === 'added').map(({ id }) => id),
    now,
  )
  const ended = entries.filter(({ what }) => what === 'ended').map(({ id }) => id)
  // Where somebody has made the same entry anew meanwhile, that one stands: IGNORE leaves this one ended.
  for (let i = 0; i < ended.length; i += 1000)
    await execute(
      db,
      'UPDATE IGNORE sender_entries SET ended_at = NULL WHERE id IN (:ids)',
      { ids: ended.slice(i, i + 1000) },
      tx,
    )
}
