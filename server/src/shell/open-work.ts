import { findRow, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import { decisionKinds, openFindings } from '../lists/findings-sql.ts'
import { openStates } from '../deliveries/asked-for.ts'

/** What waits for somebody, by area. Findings of upkeep are about the lists of all. */
export async function countOpenWork(
  db: Database,
  scope: Scope,
): Promise<{ senders: number; enquiries: number }> {
  const row = await findRow<{ senders: number; enquiries: number }>(
    db,
    `SELECT ${scope === null ? `(SELECT COUNT(*) FROM (${openFindings}) f WHERE f.kind IN (:decisionKinds))` : '0'}
         + (SELECT COUNT(*) FROM entry_requests WHERE state = 'open' AND ${within(scope, 'mailbox_id')}) AS senders,
       (SELECT COUNT(*) FROM enquiries WHERE state IN (:openStates) AND ${within(scope, 'mailbox_id')}) AS enquiries`,
    { decisionKinds, openStates },
  )
  return { senders: Number(row?.senders ?? 0), enquiries: Number(row?.enquiries ?? 0) }
}
