import { inTransaction, select, type Database } from '../db/database.ts'
import { expireMailboxAnew } from '../deliveries/expiry.ts'
import { choreDone, endChore, takeChore } from '../jobs/chores.ts'

/** When nobody has anything to do for it. */
const never = new Date('2900-01-01T00:00:00Z')

const atOnce = 20

/**
 * Works out anew when mail goes away, mailbox after mailbox, after the organisation's days have changed; how many mailboxes
 * it came through. What has been noted before that is only shown: the purge works the end out for itself.
 */
export async function workEnds(db: Database, now: Date): Promise<number> {
  if (!(await takeChore(db, 'ends', now))) return 0
  const after = await choreDone(db, 'ends')
  const mailboxes = await select<{ id: number }>(
    db,
    'SELECT id FROM mailboxes WHERE id > :after ORDER BY id LIMIT :atOnce',
    { after, atOnce },
  )
  for (const { id } of mailboxes) await inTransaction(db, tx => expireMailboxAnew(db, tx, id))
  const last = mailboxes.at(-1)
  await endChore(db, 'ends', { nextAt: last ? now : never, done: last ? last.id - after : 0 })
  return mailboxes.length
}
