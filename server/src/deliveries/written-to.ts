import { select, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'

/**
 * Which of some senders wrote to a mailbox of a scope: who wrote to others only is nothing its staffer hears of.
 * @param addresses As `known_senders` has them; a few dozen.
 */
export async function writtenTo(
  db: Database,
  scope: Scope,
  addresses: readonly string[],
): Promise<(address: string) => boolean> {
  if (scope === null) return () => true
  if (addresses.length === 0) return () => false
  const rows = await select<{ address: string }>(
    db,
    `SELECT DISTINCT s.address FROM message_senders s JOIN deliveries d ON d.message_id = s.message_id
     WHERE s.address IN (:addresses) AND ${within(scope, 'd.mailbox_id')}`,
    { addresses: [...new Set(addresses)] },
  )
  const known = new Set(rows.map(({ address }) => address.toLowerCase()))
  return address => known.has(address.toLowerCase())
}
