import { randomUUID } from 'node:crypto'
import { execute, select, type Database, type Tx } from '../db/database.ts'
import { StoreMoves } from '../db/models/stores.ts'
import { insert } from '../db/rows.ts'

/** Copies of one mailbox that are together in a folder, and the junk folder they would go to. */
interface Together {
  readonly mailbox_id: number
  readonly path: string
  readonly uid_validity: number
  readonly junk: string
  readonly uids: readonly number[]
}

/** Copies of deliveries that are in front of their colleagues, where the mailbox has a junk folder that is known. */
async function inFront(db: Database, deliveries: readonly number[], tx?: Tx): Promise<readonly Together[]> {
  if (deliveries.length === 0) return []
  const rows = await select<Omit<Together, 'uids'> & { uid: number }>(
    db,
    `SELECT f.mailbox_id, f.path, f.uid_validity, j.path AS junk, c.uid FROM store_copies c
     JOIN store_folders f ON f.id = c.folder_id JOIN store_folders j ON j.mailbox_id = f.mailbox_id AND j.kind = 'junk'
     WHERE c.delivery_id IN (:deliveries) AND c.gone_at IS NULL AND f.kind IN ('inbox', 'aside', 'other')
     GROUP BY c.id ORDER BY c.uid`,
    { deliveries },
    tx,
  )
  const groups = new Map<string, Together>()
  for (const { uid, ...place } of rows) {
    const key = `${place.mailbox_id} ${place.path}`
    groups.set(key, { ...place, uids: [...(groups.get(key)?.uids ?? []), uid] })
  }
  return [...groups.values()]
}

/** How many copies a block would take out of sight. */
export async function countInFront(db: Database, deliveries: readonly number[]): Promise<number> {
  return (await inFront(db, deliveries)).reduce((sum, { uids }) => sum + uids.length, 0)
}

/**
 * Has the messages at hand moved to the junk folder, in the transaction of the ruling that blocks their sender: what is to come goes
 * there, too. Done by itself soon after; a store that does not answer is asked again.
 */
export async function moveBlocked(
  db: Database,
  tx: Tx,
  { rulingId, deliveries, at }: { rulingId: number; deliveries: readonly number[]; at: Date },
): Promise<void> {
  const together = await inFront(db, deliveries, tx)
  await insert(
    db,
    StoreMoves,
    together.map(({ mailbox_id, path, uid_validity, junk, uids }) => ({
      mailbox_id,
      token: randomUUID(),
      from_path: path,
      to_path: junk,
      state: 'moving' as const,
      at,
      waiting: uids,
      from_validity: uid_validity,
      moved: [],
      to_validity: 0,
      total: uids.length,
      next_at: at,
      ruling_id: rulingId,
    })),
    tx,
  )
}

/** Has them brought back when the ruling is taken back. */
export async function bringBackBlocked(db: Database, tx: Tx, rulingId: number, now: Date): Promise<void> {
  await execute(
    db,
    `UPDATE store_moves SET state = 'undoing', waiting = moved, moved = '[]', total = JSON_LENGTH(waiting), done = 0, trouble = '', detail = '', next_at = :now
     WHERE ruling_id = :rulingId AND state IN ('moving', 'done', 'failed')`,
    { rulingId, now },
    tx,
  )
}
