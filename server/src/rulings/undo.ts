import type { DeliveryState, RulingSentence } from '@pendro/contract'
import { displayPattern } from '@pendro/core/senders'
import { markUndone } from '../acts/ruling-rows.ts'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { findOne, remove, update } from '../db/rows.ts'
import { EntryRequests } from '../db/models/lists.ts'
import { Rulings } from '../db/models/rulings.ts'
import { SelectionDeliveries, Selections } from '../db/models/selections.ts'
import { moveBack } from '../deliveries/move.ts'
import { AppError } from '../errors.ts'
import { shiftClusters } from '../judging/clusters.ts'
import { endEntries } from '../lists/change.ts'
import { entryColumns, lockLists, toEntry, type EntryRow } from '../lists/entries.ts'
import { askUpkeep } from '../lists/upkeep-asked.ts'
import { announce } from '../live/events.ts'
import { cancelReleases } from '../outbox/queue.ts'
import { writeRecord } from '../record/write.ts'
import { actor, isSteward, type Ruler } from '../sign-in/sessions.ts'
import { unlearn } from './learning.ts'
import { bringBackRules } from './folded-rules.ts'
import { bringBackBlocked } from '../stores/blocking.ts'
import { takeInboxRules } from './inbox-rules.ts'
import { rulingEntries, type RuledEntry } from './ruling-entries.ts'

export interface UndoneRuling {
  readonly deliveries: readonly { readonly id: number; readonly state: DeliveryState }[]
  readonly stayedReleased: number
  /** The selection whose deliveries follow in parts; `null` when all is done already. */
  readonly running: number | null
}

interface Undoing {
  readonly who: Ruler
  readonly id: number
  readonly now: Date
}

/** Undoes a ruling as one act. What the mail store already has stays delivered, and is counted. */
export async function undoRuling(db: Database, who: Ruler, id: number, now: Date): Promise<UndoneRuling> {
  return inTransaction(db, async tx => {
    const undoing = { who, id, now }
    const learned = await lockRuling(db, tx, undoing)
    const entries = await rulingEntries(db, tx, id)
    await lockLists(db, tx, entries.map(toEntry))
    await refuseBuiltOn(db, tx, id)
    if (entries.some(row => row.mailbox_id === null) && !isSteward(who))
      throw new AppError('NEEDS_STEWARD', { context: 'undo' })
    const selection = await findOne(
      db,
      Selections,
      { ruling_id: id },
      { columns: ['id', 'done'], tx, lock: true },
    )
    const moved = selection ? [] : await movedDeliveries(db, tx, id)
    if (selection) await refuseRuledSince(db, tx, id)
    await markUndone(db, tx, id, now)
    if (entries.length > 0) await takeBackEntries(db, tx, undoing, entries)
    await bringBackRules(db, tx, id)
    await takeInboxRules(db, tx, id)
    await bringBackBlocked(db, tx, id, now)
    // What was asked for with it is not asked for any more; what was answered meanwhile stands.
    await remove(db, EntryRequests, { asked_ruling_id: id, state: 'open' }, tx)
    if (selection) {
      await update(db, Selections, { state: 'undoing', left_alone: 0 }, { id: selection.id }, tx)
      await remove(db, SelectionDeliveries, { selection_id: selection.id }, tx)
      await tell(db, tx, undoing, { deliveries: [], stayedReleased: 0, running: selection.id })
      return { deliveries: [], stayedReleased: 0, running: selection.id }
    }
    await unlearn(db, tx, id)
    const clusters = moved.map(({ cluster_key }) => cluster_key)
    if (learned !== 'nothing') await shiftClusters(db, tx, clusters, learned, -1)
    const deliveries = await putBack(db, tx, moved)
    const stayedReleased = moved.filter(
      ({ to_state }, i) => to_state === 'deferred' && deliveries[i]?.state !== moved[i]?.from_state,
    ).length
    await tell(db, tx, undoing, { deliveries, stayedReleased, running: null })
    return { deliveries, stayedReleased, running: null }
  })
}

/** Undoes the next deliveries of a ruling on a selection; 1 when there were any, or when it has come to its end. */
export async function undoPart(
  db: Database,
  selectionId: number,
  rulingId: number,
  atOnce: number,
  now: Date,
): Promise<number> {
  return inTransaction(db, async tx => {
    const selection = await findOne(db, Selections, { id: selectionId }, { tx, lock: true })
    if (selection?.state !== 'undoing') return 0
    const ids = await select<{ id: number; message_id: number }>(
      db,
      `SELECT x.delivery_id AS id, d.message_id FROM ruling_deliveries x JOIN deliveries d ON d.id = x.delivery_id
       WHERE x.ruling_id = :rulingId AND x.delivery_id > :after ORDER BY x.delivery_id LIMIT :atOnce`,
      { rulingId, after: selection.undone_to, atOnce },
      tx,
    )
    const last = ids.at(-1)
    if (!last) {
      await update(db, Selections, { state: 'undone' }, { id: selectionId }, tx)
      await announce(db, tx, now, [{ kind: 'ruled', deliveryId: null, state: null, by: '' }])
      return 1
    }
    const ruling = await findOne(db, Rulings, { id: rulingId }, { columns: ['sentence'], tx })
    const learned = ruling?.sentence.learn ?? 'nothing'
    const moved = await movedDeliveries(
      db,
      tx,
      rulingId,
      ids.map(({ id }) => id),
    )
    await unlearn(db, tx, rulingId, [...new Set(ids.map(({ message_id }) => message_id))])
    const clusters = moved.map(({ cluster_key }) => cluster_key)
    if (learned !== 'nothing') await shiftClusters(db, tx, clusters, learned, -1)
    const back = await putBack(db, tx, moved)
    const stayed = moved.filter(
      ({ to_state }, i) => to_state === 'deferred' && back[i]?.state !== moved[i]?.from_state,
    ).length
    await execute(
      db,
      'UPDATE selections SET done = done - LEAST(done, :undone), left_alone = left_alone + :stayed, undone_to = :last WHERE id = :selectionId',
      { selectionId, undone: moved.length, stayed, last: last.id },
      tx,
    )
    await announce(db, tx, now, [{ kind: 'ruled', deliveryId: null, state: null, by: '' }])
    return 1
  })
}

/** A later ruling moved one of them again: that one has to be undone first. */
async function refuseRuledSince(db: Database, tx: Tx, rulingId: number): Promise<void> {
  const later = await findRow<{ name: string; subject: string; ruling_id: number }>(
    db,
    `SELECT COALESCE(s.name, b.name, '') AS name, d.subject, r.id AS ruling_id
     FROM ruling_deliveries x JOIN ruling_deliveries y ON y.delivery_id = x.delivery_id AND y.ruling_id > x.ruling_id
       AND y.from_state <> y.to_state
     JOIN rulings r ON r.id = y.ruling_id AND r.undone_at IS NULL JOIN deliveries d ON d.id = x.delivery_id
     LEFT JOIN staffers s ON s.id = r.staffer_id LEFT JOIN mailboxes b ON b.id = r.colleague_id
     WHERE x.ruling_id = :rulingId AND x.from_state <> x.to_state LIMIT 1`,
    { rulingId },
    tx,
  )
  if (later)
    throw new AppError('LATER_RULING', {
      context: 'delivery',
      by: later.name,
      named: later.subject,
      rulings: [later.ruling_id],
    })
}

/** Holds a ruling that may be undone; what it taught. */
async function lockRuling(db: Database, tx: Tx, { who, id }: Undoing): Promise<RulingSentence['learn']> {
  const ruling = await findOne(
    db,
    Rulings,
    { id },
    { columns: ['undone_at', 'sentence', 'colleague_id'], tx, lock: true },
  )
  const mine = 'staffer' in who || ruling?.colleague_id === who.colleague.id
  if (!ruling || !mine) throw new AppError('RULING_NOT_FOUND')
  if (ruling.undone_at) throw new AppError('ALREADY_UNDONE')
  return ruling.sentence.learn
}

async function takeBackEntries(
  db: Database,
  tx: Tx,
  { who, id, now }: Undoing,
  entries: readonly RuledEntry[],
): Promise<void> {
  await restoreRegister(db, tx, entries, now)
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

async function tell(
  db: Database,
  tx: Tx,
  { who, id, now }: Undoing,
  { deliveries, stayedReleased }: UndoneRuling,
): Promise<void> {
  await writeRecord(db, tx, [
    {
      at: now,
      act: 'undo',
      by: actor(who),
      rulingId: id,
      deliveryId: deliveries.length === 1 ? (deliveries[0]?.id ?? null) : null,
      // An undo that moved nothing says nothing of deliveries.
      facts: deliveries.length === 0 ? {} : { deliveries: deliveries.length, stayedReleased },
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

async function movedDeliveries(
  db: Database,
  tx: Tx,
  rulingId: number,
  ids?: readonly number[],
): Promise<readonly Moved[]> {
  const moved = await select<Moved & { subject: string; later: number | null }>(
    db,
    `SELECT x.delivery_id, x.from_state, x.to_state, d.state, d.cluster_key, d.subject,
       (SELECT MAX(r.id) FROM ruling_deliveries y JOIN rulings r ON r.id = y.ruling_id
        WHERE y.delivery_id = x.delivery_id AND y.ruling_id > x.ruling_id AND r.undone_at IS NULL
          AND y.from_state <> y.to_state AND x.from_state <> x.to_state) AS later
     FROM ruling_deliveries x JOIN deliveries d ON d.id = x.delivery_id WHERE x.ruling_id = :rulingId ${ids ? 'AND x.delivery_id IN (:ids)' : ''} ORDER BY x.delivery_id FOR UPDATE`,
    { rulingId, ids },
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
): Promise<readonly { readonly id: number; readonly state: DeliveryState }[]> {
  const released = moved.filter(one => one.to_state === 'deferred' && one.from_state !== 'deferred')
  const cancelled = await cancelReleases(
    db,
    tx,
    released.filter(({ state }) => state === 'deferred').map(({ delivery_id }) => delivery_id),
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
  entries: readonly RuledEntry[],
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
