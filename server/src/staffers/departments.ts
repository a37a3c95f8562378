import { select, type Database, type Tx } from '../db/database.ts'
import { AppError } from '../errors.ts'

/** Every department that a mailbox is in. */
export async function readDepartments(db: Database, tx?: Tx): Promise<string[]> {
  const rows = await select<{ department: string }>(
    db,
    "SELECT DISTINCT department FROM mailboxes WHERE department <> '' ORDER BY department LIMIT 2000",
    {},
    tx,
  )
  return rows.map(({ department }) => department)
}

/** Throws DEPARTMENT_NOT_FOUND for a name that no mailbox is in. `known`: what stood there before may stay. */
export async function checkDepartments(
  db: Database,
  departments: readonly string[] | null,
  tx?: Tx,
  known: readonly string[] = [],
): Promise<void> {
  if (departments === null) return
  const there = new Set([...(await readDepartments(db, tx)), ...known])
  if (departments.some(name => !there.has(name))) throw new AppError('DEPARTMENT_NOT_FOUND')
}

/** As the record says it; '' for all of them. */
export const told = (departments: readonly string[] | null): string => departments?.join(', ') ?? ''
