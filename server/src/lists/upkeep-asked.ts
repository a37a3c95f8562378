import { execute, type Database, type Tx } from '../db/database.ts'

/** The lists have changed: upkeep looks them over again, soon. Part of the transaction that changed them. */
export async function askUpkeep(db: Database, tx: Tx, now: Date): Promise<void> {
  await execute(
    db,
    `INSERT INTO upkeep_runs (id, asked_at) VALUES (1, :now) ON DUPLICATE KEY UPDATE asked_at = GREATEST(asked_at, :now)`,
    { now },
    tx,
  )
}
