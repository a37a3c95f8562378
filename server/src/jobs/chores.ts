import { execute, findRow, type Database, type Tx } from '../db/database.ts'

/** Work that one process does at a time, whichever it is. */
export type Chore = 'directory' | 'purge' | 'ends' | 'reminders'

/** Milliseconds a chore stays taken without a word: a process that died gives way to another then. */
const takenFor = 60_000

/**
 * Takes a chore whose time has come and that nobody has. `false`: another process is at it, or it is not due. Taken for a
 * minute; `endChore` gives it back.
 */
export async function takeChore(db: Database, name: Chore, now: Date): Promise<boolean> {
  const taken = await execute(
    db,
    `UPDATE chores SET claimed_until = :until
     WHERE name = :name AND next_at <= :now AND (claimed_until IS NULL OR claimed_until < :now)`,
    { name, now, until: new Date(now.getTime() + takenFor) },
  )
  return taken === 1
}

/** Gives a chore back, to be done again at a time; `done` more is counted. */
export async function endChore(
  db: Database,
  name: Chore,
  { nextAt, done = 0 }: { readonly nextAt: Date; readonly done?: number },
): Promise<void> {
  await execute(
    db,
    'UPDATE chores SET claimed_until = NULL, next_at = :nextAt, done = done + :done WHERE name = :name',
    { name, nextAt, done },
  )
}

/** Has a chore done soon, in the transaction that makes it necessary; from its beginning. */
export async function askChore(db: Database, tx: Tx, name: Chore, now: Date): Promise<void> {
  await execute(
    db,
    `INSERT INTO chores (name, next_at) VALUES (:name, :now)
     ON DUPLICATE KEY UPDATE next_at = :now, done = 0`,
    { name, now },
    tx,
  )
}

/** How far a chore has come. */
export async function choreDone(db: Database, name: Chore): Promise<number> {
  const row = await findRow<{ done: number }>(db, 'SELECT done FROM chores WHERE name = :name', { name })
  return row?.done ?? 0
}
