import type { RulingSentence, SelectionSummary, SelectionProgress } from '@pendro/contract'
import { isAgainstEvidence, isLegal, type DeliveryState, type Direction } from '@pendro/core/delivery'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { SelectionDeliveries, Selections } from '../db/models/selections.ts'
import { findOne, insert, insertOne, remove } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import type { SignedIn } from '../sign-in/sessions.ts'

/** More is not ruled on by one sentence: nobody can know what is in it. */
export const mostSelected = 200_000
const rowsAtOnce = 5000
const day = 86_400_000

/** Freezes what is shown: the ids as they were read, and what is to be known before anybody rules on them. */
export async function makeSelection(
  db: Database,
  who: SignedIn,
  ids: readonly number[],
  now: Date,
): Promise<SelectionSummary> {
  if (ids.length === 0) throw new AppError('NOTHING_SHOWN')
  if (ids.length > mostSelected) throw new AppError('TOO_MANY_SHOWN', { most: mostSelected })
  const id = await inTransaction(db, async tx => {
    await dropUnused(db, tx, now)
    const made = await insertOne(
      db,
      Selections,
      { staffer_id: who.staffer.id, made_at: now, total: ids.length },
      tx,
    )
    for (let i = 0; i < ids.length; i += rowsAtOnce)
      await insert(
        db,
        SelectionDeliveries,
        ids.slice(i, i + rowsAtOnce).map(delivery_id => ({ selection_id: made, delivery_id })),
        tx,
      )
    return made
  })
  return { id, madeAt: now.toISOString(), ...(await sumUp(db, id)) }
}

/** Anybody's that came to nothing within a day. */
async function dropUnused(db: Database, tx: Tx, now: Date): Promise<void> {
  const old = await select<{ id: number }>(
    db,
    "SELECT id FROM selections WHERE state = 'open' AND made_at < :before LIMIT 20",
    { before: new Date(now.getTime() - day) },
    tx,
  )
  for (const { id } of old) {
    await remove(db, SelectionDeliveries, { selection_id: id }, tx)
    await remove(db, Selections, { id }, tx)
  }
}

interface Group {
  readonly state: DeliveryState
  readonly points: Direction
  readonly n: number
}

const groupsOf = (db: Database, id: number, tx?: Tx) =>
  select<Group>(
    db,
    `SELECT d.state, d.points, COUNT(*) AS n FROM selection_deliveries x JOIN deliveries d ON d.id = x.delivery_id
     WHERE x.selection_id = :id GROUP BY d.state, d.points`,
    { id },
    tx,
  )

async function sumUp(db: Database, id: number): Promise<Omit<SelectionSummary, 'id' | 'madeAt'>> {
  const [groups, wide] = await Promise.all([
    groupsOf(db, id),
    findRow<{ colleagues: number; senders: number }>(
      db,
      `SELECT COUNT(DISTINCT d.mailbox_id) AS colleagues, COUNT(DISTINCT d.from_address) AS senders
       FROM selection_deliveries x JOIN deliveries d ON d.id = x.delivery_id WHERE x.selection_id = :id`,
      { id },
    ),
  ])
  const can = (wanted: RulingSentence['message']) => weigh(groups, wanted).possible
  return {
    deliveries: sum(groups),
    colleagues: wide?.colleagues ?? 0,
    senders: wide?.senders ?? 0,
    can: { release: can('release'), discard: can('discard'), restore: can('restore') },
    against: weigh(groups, 'release').against,
  }
}

const sum = (some: readonly Group[]) => some.reduce((total, { n }) => total + n, 0)

/** To how many an act can be done, and of those to how many against the evidence. */
function weigh(groups: readonly Group[], message: RulingSentence['message']) {
  const fits = groups.filter(({ state }) => message === 'leave' || isLegal(message, state))
  return {
    possible: sum(fits),
    against: sum(fits.filter(({ points }) => isAgainstEvidence(message, points))),
  }
}

/** The same of a selection as it is by now. */
export async function weighSelection(
  db: Database,
  tx: Tx,
  id: number,
  message: RulingSentence['message'],
): Promise<{ readonly possible: number; readonly against: number }> {
  return weigh(await groupsOf(db, id, tx), message)
}

/** So many entries one sentence makes; more is a list to be brought in. */
export const mostEntries = 2000

/** One delivery for each sender (and colleague, where each gets an entry of their own): what entries are made from. */
export async function sendersOfSelection(
  db: Database,
  id: number,
  each: RulingSentence['for'],
  tx?: Tx,
): Promise<readonly number[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT MIN(d.id) AS id FROM selection_deliveries x JOIN deliveries d ON d.id = x.delivery_id JOIN messages m ON m.id = d.message_id
     WHERE x.selection_id = :id
     GROUP BY d.from_address, JSON_VALUE(m.sender_facts, '$.listId')${each === 'colleague' ? ', d.mailbox_id' : ''}
     LIMIT ${mostEntries + 1}`,
    { id },
    tx,
  )
  if (rows.length > mostEntries) throw new AppError('TOO_MANY_ENTRIES', { most: mostEntries })
  return rows.map(row => row.id)
}

/** A selection of somebody's own; nobody else's exists. */
export async function readProgress(db: Database, who: SignedIn, id: number): Promise<SelectionProgress> {
  const row = await findOne(db, Selections, { id, staffer_id: who.staffer.id })
  if (!row) throw new AppError('SELECTION_GONE')
  return {
    id,
    state: row.state,
    rulingId: row.ruling_id,
    total: row.total,
    done: row.done,
    left: row.left_alone,
  }
}

/** Takes what was worked on off the list of what is left. */
export async function takeOff(
  db: Database,
  tx: Tx,
  id: number,
  deliveryIds: readonly number[],
): Promise<void> {
  if (deliveryIds.length > 0)
    await execute(
      db,
      'DELETE FROM selection_deliveries WHERE selection_id = :id AND delivery_id IN (:deliveryIds)',
      { id, deliveryIds },
      tx,
    )
}
