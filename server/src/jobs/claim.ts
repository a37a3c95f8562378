import { execute, inTransaction, select, type Database } from '../db/database.ts'

/** A table of work: rows with `claimed_until`, which a process sets to have one for itself. */
interface Work {
  readonly table:
    | 'outbox'
    | 'inspections'
    | 'list_imports'
    | 'selections'
    | 'history_runs'
    | 'store_moves'
    | 'store_mailboxes'
    | 'store_scripts'
    | 'outage_notices'
    | 'standby_letters'
  /** The column that names a row. */
  readonly key: 'id' | 'message_id' | 'mailbox_id'
  readonly columns: string
  /** SQL: what is to be done at all. */
  readonly due: string
  readonly order: string
}

interface Claim {
  readonly at: Date
  /** Milliseconds a row stays claimed: a crashed process's work is taken up by another then. */
  readonly holdFor: number
  readonly limit: number
  /** For `:name`s in `due`. */
  readonly values?: Readonly<Record<string, unknown>>
}

/** Takes work that is due and that nobody has; what others hold is passed over and not waited for. */
export function claim<T extends object>(
  db: Database,
  { table, key, columns, due, order }: Work,
  { at, holdFor, limit, values = {} }: Claim,
): Promise<readonly T[]> {
  return inTransaction(db, async tx => {
    // By raw SQL: Sequelize drops SKIP LOCKED on MariaDB.
    const rows = await select<T>(
      db,
      `SELECT ${columns} FROM ${table} WHERE ${due} AND (claimed_until IS NULL OR claimed_until < :at)
       ORDER BY ${order} LIMIT :limit FOR UPDATE SKIP LOCKED`,
      { ...values, at, limit },
      tx,
    )
    if (rows.length > 0)
      await execute(
        db,
        `UPDATE ${table} SET claimed_until = :until WHERE ${key} IN (:keys)`,
        {
          until: new Date(at.getTime() + holdFor),
          keys: rows.map(row => (row as Record<string, unknown>)[key]),
        },
        tx,
      )
    return rows
  })
}

/** Gives claimed work back, for whoever is next. */
export async function giveBack(
  db: Database,
  { table, key }: Pick<Work, 'table' | 'key'>,
  keys: readonly number[],
): Promise<void> {
  if (keys.length > 0)
    await execute(db, `UPDATE ${table} SET claimed_until = NULL WHERE ${key} IN (:keys)`, { keys })
}
