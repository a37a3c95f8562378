import { findRow, type Database, type Row } from './database.ts'

/** So few are read whole and put in order; of more, the first that fit are soon met in the order of a key. */
const few = 5_000

/** Whether there are but few rows of a table under a condition on its key; counts no further than it has to. `most`: where reading is from one index. */
export async function isFew(db: Database, from: string, values: Row, most = few): Promise<boolean> {
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM (SELECT 1 FROM ${from} LIMIT ${most + 1}) x`,
    values,
  )
  return (row?.n ?? 0) <= most
}
