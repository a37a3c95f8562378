import {
  endsByItself,
  transitions,
  type Act,
  type DeliveryState,
  type RememberedState,
} from '@pendro/core/delivery'
import { execute, type Database, type Tx } from '../db/database.ts'
import { AppError } from '../errors.ts'
import { expireAnew } from './expiry.ts'

export interface Move {
  readonly id: number
  readonly from: DeliveryState
  readonly to: DeliveryState
  /** Where the mail store should put it; only for what is on its way. */
  readonly boundFor?: string | null
  /** Where it was before a person moved it; left out when that does not change. */
  readonly cameFrom?: RememberedState | null
  readonly landedAt?: Date
  /** In no digest by name; left out when that does not change. */
  readonly leftOut?: true
}

/**
 * The one place that moves deliveries. Each starts from the state it was seen in, checked in the same statement; the table
 * of transitions is asked as well. Alike ones go together, in one statement. Throws WRONG_STATE when one has moved
 * meanwhile.
 */
export async function moveDeliveries(db: Database, tx: Tx, act: Act, moves: readonly Move[]): Promise<void> {
  const { from, to } = transitions[act]
  for (const move of moves)
    if (!from.includes(move.from) || !to.includes(move.to))
      throw new Error(`${act} does not lead from ${move.from} to ${move.to}`)
  await moveAll(db, tx, moves)
  // What lands has had the end of where it was bound for from the beginning.
  if (act !== 'land') await endAnew(db, tx, moves)
}

/** Takes back what a person's act did: from where it led to where it was. The caller has seen that nothing came after. */
export async function moveBack(
  db: Database,
  tx: Tx,
  moves: readonly Pick<Move, 'id' | 'from' | 'to'>[],
): Promise<void> {
  for (const { from, to } of moves)
    if (
      !Object.values(transitions).some(
        way => way.by === 'person' && way.from.includes(to) && way.to.includes(from),
      )
    )
      throw new Error(`nobody can have moved a delivery from ${to} to ${from}`)
  await moveAll(db, tx, moves)
  await endAnew(db, tx, moves)
}

/** Each kind of kept mail has days of its own (domain.md §7). */
async function endAnew(db: Database, tx: Tx, moves: readonly Pick<Move, 'id' | 'to'>[]): Promise<void> {
  const ending = moves.filter(({ to }) => endsByItself(to))
  await expireAnew(
    db,
    tx,
    ending.map(({ id }) => id),
  )
}

async function moveAll(db: Database, tx: Tx, moves: readonly Move[]): Promise<void> {
  const groups = new Map<string, Move[]>()
  for (const move of moves) {
    const { id: _, ...alike } = move
    const key = JSON.stringify(alike)
    groups.set(key, [...(groups.get(key) ?? []), move])
  }
  for (const group of groups.values()) {
    const [first] = group
    if (!first) continue
    const { from, to, boundFor = null, cameFrom, landedAt, leftOut } = first
    const ids = group.map(({ id }) => id)
    const changed = await execute(
      db,
      `UPDATE deliveries SET state = :to, bound_for = :boundFor
         ${cameFrom === undefined ? '' : ', came_from = :cameFrom'}
         ${landedAt === undefined ? '' : ', landed_at = :landedAt'}
         ${leftOut === undefined ? '' : ', left_out = TRUE'}
       WHERE id IN (:ids) AND state = :from`,
      { to, from, boundFor, cameFrom, landedAt, ids },
      tx,
    )
    if (changed !== ids.length) throw new AppError('WRONG_STATE')
  }
}
