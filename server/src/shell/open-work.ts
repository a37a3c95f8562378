import { findRow, type Database } from '../db/database.ts'
import { decisionKinds, openFindings } from '../lists/findings-sql.ts'
import { openStates } from '../deliveries/asked-for.ts'

/** What waits for somebody, by area. */
export async function countOpenWork(db: Database): Promise<{ senders: number; enquiries: number }> {
  const row = await findRow<{ senders: number; enquiries: number }>(
    db,
    `SELECT (SELECT COUNT(*) FROM (${openFindings}) f WHERE f.kind IN (:decisionKinds))
         + (SELECT COUNT(*) FROM entry_requests WHERE state = 'open') AS senders,
       (SELECT COUNT(*) FROM enquiries WHERE state IN (:openStates)) AS enquiries`,
    { decisionKinds, openStates },
  )
  return { senders: Number(row?.senders ?? 0), enquiries: Number(row?.enquiries ?? 0) }
}
