import type { SenderEntry } from '@pendro/core/senders'
import { noteEntries } from '../acts/ruling-rows.ts'
import { execute, type Database, type Tx } from '../db/database.ts'
import { insertEntries, lockLists, type EntryOrigin } from './entries.ts'

/** Entries that an act adds and ends. */
export interface ListChange {
  readonly add: Parameters<typeof insertEntries>[2]
  readonly end: readonly SenderEntry[]
  /** What the lists have of the same patterns. */
  readonly existing: readonly SenderEntry[]
  readonly origin: EntryOrigin
}

/** Ends and adds entries for an act, and notes them with it; the entries that were added. */
export async function changeLists(
  db: Database,
  tx: Tx,
  rulingId: number,
  { add, end, existing, origin }: ListChange,
): ReturnType<typeof insertEntries> {
  await lockLists(db, tx, end)
  // Entries whose time ran out are ended for good here, so that new ones of the same pattern can take their place.
  const expired = existing.filter(({ until }) => until !== null && until <= origin.at.getTime())
  await endEntries(
    db,
    tx,
    [...end, ...expired].map(({ id }) => id),
    origin.at,
  )
  const added = await insertEntries(db, tx, add, origin)
  await noteEntries(db, tx, rulingId, {
    added: added.map(({ id }) => id),
    ended: end.map(({ id }) => id),
  })
  return added
}

export async function endEntries(db: Database, tx: Tx, ids: readonly number[], now: Date): Promise<void> {
  for (let i = 0; i < ids.length; i += 5000)
    await execute(
      db,
      'UPDATE sender_entries SET ended_at = :now WHERE id IN (:ids) AND ended_at IS NULL',
      { now, ids: ids.slice(i, i + 5000) },
      tx,
    )
}
