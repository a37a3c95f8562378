import type { DeliveryState } from '@pendro/core/delivery'
import { storeFolder, type FolderNames } from '@pendro/core/mail-rules'
import { select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { StoreCopies } from '../db/models/stores.ts'
import { insert } from '../db/rows.ts'
import { moveDeliveries, type Move } from '../deliveries/move.ts'
import { announce } from '../live/events.ts'
import type { FolderKind } from './folders.ts'
import { noteVerdicts } from './verdicts.ts'

type PutBy = RowOf<typeof StoreCopies>['put_by']

/** A copy that a folder has and had not before. */
export interface Arrived {
  readonly deliveryId: number
  /** Path of its folder. */
  readonly path: string
  readonly folderId: number
  readonly kind: FolderKind
  readonly uid: number
  readonly seen: boolean
}

interface Arrivals {
  readonly mailboxId: number
  readonly arrived: readonly Arrived[]
  readonly now: Date
  /** Pendro put it there; else it is worked out from what was known before. */
  readonly byPendro?: boolean
  /** How the store names folders. */
  readonly names?: FolderNames
}

interface DeliveryRow {
  readonly id: number
  readonly state: DeliveryState
  readonly bound_for: string | null
  readonly folder: string | null
  readonly came_from: DeliveryState | null
  readonly cluster_key: string
}

/** Where each state of a delivery is looked for first; what a rule puts into a folder, in that one. */
const expected: Readonly<Record<string, FolderKind>> = {
  inbox: 'inbox',
  released: 'inbox',
  junk: 'junk',
  aside: 'aside',
}

/**
 * Notes copies that were found, and how they came there. What the mark of another mailbox’s delivery says is not believed. What somebody moved to
 * the inbox counts as released: no digest offers it any more. What was new, each with who put it there.
 */
export async function noteArrived(
  db: Database,
  tx: Tx,
  { mailboxId, arrived, now, byPendro = false, names = {} }: Arrivals,
): Promise<readonly (Arrived & { readonly putBy: PutBy })[]> {
  if (arrived.length === 0) return []
  const ids = [...new Set(arrived.map(({ deliveryId }) => deliveryId))]
  const deliveries = await select<DeliveryRow>(
    db,
    'SELECT id, state, bound_for, folder, came_from, cluster_key FROM deliveries WHERE id IN (:ids) AND mailbox_id = :mailboxId ORDER BY id FOR UPDATE',
    { ids, mailboxId },
    tx,
  )
  const byId = new Map(deliveries.map(row => [row.id, row]))
  const before = await select<{ delivery_id: number; folder_id: number; uid: number; gone_at: Date | null }>(
    db,
    'SELECT delivery_id, folder_id, uid, gone_at FROM store_copies WHERE delivery_id IN (:ids)',
    { ids },
    tx,
  )
  const places = new Set(before.map(row => `${row.folder_id}.${row.uid}`))
  const wasThere = new Set(before.map(row => row.delivery_id))
  const movedAway = new Set(before.filter(row => row.gone_at !== null).map(row => row.delivery_id))
  const howItCame = ({ deliveryId, path, kind }: Arrived): PutBy => {
    if (byPendro) return 'pendro'
    if (wasThere.has(deliveryId)) return movedAway.has(deliveryId) ? 'colleague' : 'unseen'
    const row = byId.get(deliveryId)
    const place = row?.state === 'deferred' ? row.bound_for : row?.state
    const isThere =
      place === 'moved'
        ? isSame(path, storeFolder(row?.folder ?? '', names))
        : (expected[place ?? ''] ?? kind) === kind
    return isThere ? 'arrival' : 'unseen'
  }
  const fresh = arrived
    .filter(one => byId.has(one.deliveryId) && !places.has(`${one.folderId}.${one.uid}`))
    .map(one => ({ ...one, putBy: howItCame(one) }))
  await insert(
    db,
    StoreCopies,
    fresh.map(({ deliveryId, folderId, uid, seen, putBy }) => ({
      delivery_id: deliveryId,
      folder_id: folderId,
      uid,
      seen,
      found_at: now,
      put_by: putBy,
    })),
    tx,
  )
  const shifted = fresh.filter(({ putBy }) => putBy === 'colleague' || putBy === 'pendro')
  const shifts = shifted.flatMap(({ deliveryId, kind }) => shift(byId.get(deliveryId), kind))
  for (const act of ['bring', 'refile'] as const)
    await moveDeliveries(
      db,
      tx,
      act,
      shifts.filter(one => one.act === act).map(({ move }) => move),
    )
  const moved = fresh.flatMap(({ deliveryId, kind, putBy }) => {
    const row = putBy === 'colleague' ? byId.get(deliveryId) : undefined
    return row
      ? [{ deliveryId, kind, state: row.state, cameFrom: row.came_from, cluster: row.cluster_key }]
      : []
  })
  await noteVerdicts(db, tx, { mailboxId, moved, now })
  // Whoever has it on the screen sees where it is now.
  const stateOf = new Map(shifts.map(({ move }) => [move.id, move.to]))
  await announce(
    db,
    tx,
    now,
    shifted.map(({ deliveryId }) => ({
      kind: 'changed',
      deliveryId,
      state: stateOf.get(deliveryId) ?? byId.get(deliveryId)?.state ?? null,
      by: '',
    })),
  )
  return fresh
}

const isSame = (a: string, b: string) => a.localeCompare(b, undefined, { sensitivity: 'accent' }) === 0

interface Shift {
  readonly act: 'bring' | 'refile'
  readonly move: Move
}

/** What a move at the store comes to: into the inbox it is released, back to where it was it is as before. */
function shift(row: DeliveryRow | undefined, kind: FolderKind): readonly Shift[] {
  if (!row) return []
  const { id, state, came_from } = row
  if (kind === 'inbox' && (state === 'junk' || state === 'aside' || state === 'moved'))
    return [{ act: 'bring', move: { id, from: state, to: 'released', cameFrom: state } }]
  const isBack =
    state === 'released' &&
    ((came_from === 'junk' && kind === 'junk') || (came_from === 'aside' && kind === 'aside'))
  return isBack && came_from !== null ? [{ act: 'refile', move: { id, from: state, to: came_from } }] : []
}
