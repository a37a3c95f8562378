import { inject } from 'vitest'
import { fillDemo, type Filled } from '../../scripts/fill-demo.ts'
import { execute, findRow, inTransaction, openDatabase, type Database } from '../src/db/database.ts'
import { migrate } from '../src/db/migrate.ts'

/** The moment the demo is filled for. */
export const demoNow = new Date('2026-11-26T07:55:00Z')
const name = 'test_demo'

/**
 * A database with the demo in it, filled once for all files that look at it and change nothing others count on: whoever comes first
 * fills it, and the others wait.
 */
export async function filledDemo(): Promise<{ readonly db: Database; readonly filled: Filled }> {
  const server = openDatabase(`${inject('databaseServer')}information_schema`, { poolSize: 1 })
  try {
    // In a transaction, which keeps the connection that has the lock; the lock ends with it.
    return await inTransaction(server, async tx => {
      await execute(server, 'DO GET_LOCK(:name, 300)', { name }, tx)
      await execute(server, `CREATE DATABASE IF NOT EXISTS ${name}`, {}, tx)
      return fillOnce(openDatabase(`${inject('databaseServer')}${name}`))
    })
  } finally {
    await server.close()
  }
}

async function fillOnce(db: Database): Promise<{ readonly db: Database; readonly filled: Filled }> {
  await execute(
    db,
    'CREATE TABLE IF NOT EXISTS demo_filled (id INT NOT NULL PRIMARY KEY, filled JSON NOT NULL)',
  )
  const before = await findRow<{ filled: Filled }>(db, 'SELECT filled FROM demo_filled')
  if (before) return { db, filled: before.filled }
  await migrate(db)
  const filled = await fillDemo(db, { now: demoNow, scale: 0.4 })
  await execute(db, 'INSERT INTO demo_filled (id, filled) VALUES (1, :filled)', {
    filled: JSON.stringify(filled),
  })
  return { db, filled }
}
