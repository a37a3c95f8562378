import { QueryTypes, Sequelize, type Transaction } from 'sequelize'
import { bound, type Bound } from './bound.ts'

export type Database = Sequelize
export type Tx = Transaction
export type Row = Record<string, unknown>

interface PoolOptions {
  readonly poolSize?: number
  /** Milliseconds a statement may take; without it as long as it likes. People wait for what a server asks. */
  readonly patience?: number
}

/** Opens a pool; nothing is sent until the first statement. */
export function openDatabase(url: string, { poolSize = 10, patience }: PoolOptions = {}): Database {
  return new Sequelize(url.replace(/^mysql:/, 'mariadb:'), {
    dialect: 'mariadb',
    logging: false,
    timezone: '+00:00',
    pool: { max: poolSize, min: 0, acquire: 8000, idle: 20_000 },
    // A string, not a list: the driver appends to a shared list on each new connection.
    dialectOptions: {
      // Decimals are short ones (scores) or sums of counts: numbers hold them, and nobody has to know which columns are decimals.
      decimalAsNumber: true,
      // Each statement sees what is committed by then: whoever waited for a lock must see what its holder did, and not the
      // snapshot from before the wait. Said once a connection, not once a transaction.
      initSql: "SET tx_isolation = 'READ-COMMITTED', NAMES utf8mb4 COLLATE utf8mb4_uca1400_ai_ci",
      connectTimeout: 3000,
      ...(patience === undefined ? {} : timeLimits(patience)),
    },
  })
}

/**
 * A server that answers ends a statement that takes too long, or waits too long for a lock, by itself; one that is frozen
 * does not, so the socket has a limit of its own, a little later.
 */
const timeLimits = (patience: number) => ({
  socketTimeout: patience + 1000,
  sessionVariables: {
    max_statement_time: patience / 1000,
    innodb_lock_wait_timeout: Math.max(1, Math.floor(patience / 2000)),
  },
})

/** Rows of a SELECT (or of INSERT … RETURNING); `:name` stands for `values.name`. */
export function select<T extends object = Row>(
  db: Database,
  sql: string,
  values: Row = {},
  tx?: Tx,
): Promise<T[]> {
  return selectBound(db, bound(sql, values), tx)
}

/** The same with its values in their places. */
export function selectBound<T extends object = Row>(
  db: Database,
  { sql, bind }: Bound,
  tx?: Tx,
): Promise<T[]> {
  // Without a type Sequelize trips over the rows of connector 3.x.
  return db.query<T>(sql, { type: QueryTypes.SELECT, bind: [...bind], transaction: tx })
}

export async function findRow<T extends object = Row>(
  db: Database,
  sql: string,
  values: Row = {},
  tx?: Tx,
): Promise<T | null> {
  return (await select<T>(db, sql, values, tx))[0] ?? null
}

/** Runs a write; the number of rows it changed. */
export function execute(db: Database, sql: string, values: Row = {}, tx?: Tx): Promise<number> {
  return executeBound(db, bound(sql, values), tx)
}

/** The same with its values in their places. */
export async function executeBound(db: Database, { sql, bind }: Bound, tx?: Tx): Promise<number> {
  const [result] = (await db.query(sql, { bind: [...bind], transaction: tx })) as unknown as [
    { affectedRows?: number },
  ]
  return result?.affectedRows ?? 0
}

/** 1213 deadlock or failed certification, 1205 lock wait, 1020 row changed since read. */
const lostRace: ReadonlySet<number> = new Set([1213, 1205, 1020])
/** 1062: somebody inserted the same key between our look and our write; seen the second time. */
const duplicate = 1062

/**
 * Runs `work` in one transaction, again from the start when it lost a deadlock. `work` must not do
 * anything outside the database that can't be done twice.
 */
export async function inTransaction<T>(
  db: Database,
  work: (tx: Tx) => Promise<T>,
  { againOnDuplicate = false }: { againOnDuplicate?: boolean } = {},
): Promise<T> {
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await db.transaction(work)
    } catch (error) {
      const errno = (error as { parent?: { errno?: number } }).parent?.errno
      const again = errno !== undefined && (lostRace.has(errno) || (againOnDuplicate && errno === duplicate))
      if (!again || attempt === 6) throw error
      await new Promise(resolve => setTimeout(resolve, 10 * attempt + Math.random() * 30))
    }
  }
}

/** 1969: the statement was ended at its time limit. */
const tooSlow = 1969

/** Whether work was given up because the database had too much to do: rows that others hold, or no end in time. */
export function isBusy(error: unknown): boolean {
  const errno = (error as { parent?: { errno?: number } }).parent?.errno ?? 0
  return lostRace.has(errno) || errno === tooSlow
}

/** The errno of a unique key that was hit, to tell "somebody was first" from other failures. */
export function isDuplicate(error: unknown): boolean {
  return (error as { parent?: { errno?: number } }).parent?.errno === duplicate
}
