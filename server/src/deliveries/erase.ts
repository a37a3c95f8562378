import { execute, type Database, type Tx } from '../db/database.ts'

/**
 * Takes away the content of messages that nobody keeps any more: source, reading and the words it is found by. What was
 * delivered, is kept back for somebody else, or can still be restored keeps its message.
 */
export async function eraseContent(db: Database, tx: Tx, messageIds: readonly number[]): Promise<void> {
  const ids = [...new Set(messageIds)]
  if (ids.length === 0) return
  for (const table of ['message_sources', 'message_readings', 'message_words'])
    await execute(
      db,
      `DELETE FROM ${table} WHERE message_id IN (:ids)
         AND NOT EXISTS (SELECT 1 FROM deliveries d WHERE d.message_id = ${table}.message_id AND d.state <> 'expired')`,
      { ids },
      tx,
    )
}
