import { dayOf, momentOf } from '@pendro/core/calendar'
import { inTransaction, type Database } from '../db/database.ts'
import { findMailboxRow, organisationNow } from '../db/organisation.ts'
import { reminderOf, toRemind } from '../deliveries/looks.ts'
import { endChore, takeChore } from '../jobs/chores.ts'
import { announce } from '../live/events.ts'
import { pendro, writeRecord } from '../record/write.ts'
import { cutDigest } from './digests.ts'

/** Milliseconds between two looks at who is to be reminded. */
const rest = 15 * 60_000
const atOnce = 50
/** By the clock of whoever gets it: nobody is woken by it. */
const hours = ['08:00', '18:00'] as const

/**
 * Sends messages of their own to mailboxes that chose them: mail that is likely wanted, that nobody has looked at, and that
 * is about to go; once a week at most. How many went. Which process does it is settled in the database.
 */
export async function workReminders(
  db: Database,
  { now, publicUrl }: { readonly now: () => Date; readonly publicUrl: string },
): Promise<number> {
  const at = now()
  if (!(await takeChore(db, 'reminders', at))) return 0
  let sent = 0
  try {
    const organisation = await organisationNow(db)
    const ids = organisation ? await toRemind(db, at, atOnce) : []
    for (const id of ids) if (await remind(db, id, { at, publicUrl })) sent += 1
  } finally {
    await endChore(db, 'reminders', { nextAt: new Date(at.getTime() + rest), done: sent })
  }
  return sent
}

function remind(
  db: Database,
  id: number,
  { at, publicUrl }: { readonly at: Date; readonly publicUrl: string },
): Promise<boolean> {
  return inTransaction(
    db,
    async tx => {
      const [organisation, mailbox] = [await organisationNow(db, tx), await findMailboxRow(db, id, tx)]
      if (!organisation || !mailbox || !isDaytime(at.getTime(), mailbox.time_zone)) return false
      const due = await reminderOf(db, mailbox, 'message', at, tx)
      const digest =
        due.length > 0 &&
        (await cutDigest(db, tx, mailbox, { organisation, publicUrl, cut: at, remindsOnly: true }))
      if (!digest) return false
      await writeRecord(db, tx, [
        { at, act: 'reminder-sent', by: pendro, mailboxId: id, facts: { listed: due.length } },
      ])
      await announce(db, tx, at, [{ kind: 'digest', deliveryId: null, state: null, by: '' }])
      return true
    },
    { againOnDuplicate: true },
  )
}

function isDaytime(at: number, timeZone: string): boolean {
  const day = dayOf(at, timeZone)
  const [from, until] = hours.map(time => momentOf(day, time, timeZone))
  return from !== undefined && until !== undefined && at >= from && at < until
}
