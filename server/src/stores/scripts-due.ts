import { execute, type Database, type Tx } from '../db/database.ts'

/** When a mailbox is due that somebody has asked for. */
export const atOnce = new Date(Date.UTC(2000, 0, 1))

/**
 * Has the scripts of mailboxes looked after soon, because their mail rules or automatic replies are others now; `null`: of all. Who has
 * none kept at a store is left alone. A change that nobody tells of here is found when its mailbox has its turn.
 */
export const scriptsDue = (db: Database, tx: Tx, mailboxes: readonly number[] | null): Promise<number> =>
  execute(
    db,
    `UPDATE store_scripts SET asked = asked + 1, next_at = :atOnce${mailboxes === null ? '' : ' WHERE mailbox_id IN (:mailboxes)'}`,
    { atOnce, mailboxes: [0, ...(mailboxes ?? [])] },
    tx,
  )
