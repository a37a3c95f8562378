import { daysBefore, dayOf, startOfDay } from '@pendro/core/calendar'
import { endsByItself } from '@pendro/core/delivery'
import { findRow, inTransaction, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import type { Mailboxes } from '../db/models/organisation.ts'
import { findOne, update } from '../db/rows.ts'
import { expireAnew } from '../deliveries/expiry.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'

/** Further ahead nobody means it. */
const mostDays = 731

interface Keeping {
  readonly id: number
  /** A day of the mailbox's zone; `null`: no longer than its kind is kept. */
  readonly until: string | null
  readonly reason: string
  readonly now: Date
}

type Row = Pick<RowOf<typeof Deliveries>, 'mailbox_id' | 'state' | 'subject' | 'from_name' | 'from_address'> &
  Pick<RowOf<typeof Mailboxes>, 'time_zone'>

/** Keeps one message until the end of a day, whatever its days; when it goes away then. */
export function keepDelivery(
  db: Database,
  who: SignedIn,
  { id, until, reason, now }: Keeping,
): Promise<Date> {
  return inTransaction(db, async tx => {
    const row = await findRow<Row>(
      db,
      `SELECT d.mailbox_id, d.state, d.subject, d.from_name, d.from_address, b.time_zone
       FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.id = :id FOR UPDATE`,
      { id },
      tx,
    )
    if (!row) throw new AppError('DELIVERY_NOT_FOUND')
    const { state, subject } = row
    if (!endsByItself(state)) throw new AppError('WRONG_STATE', { context: 'keep', subject, state })
    const keptUntil = until === null ? null : endOf(until, row.time_zone, now)
    await update(db, Deliveries, { kept_until: keptUntil }, { id }, tx)
    await expireAnew(db, tx, [id])
    await writeRecord(db, tx, [
      {
        act: 'kept-until',
        at: now,
        by: actor(who),
        mailboxId: row.mailbox_id,
        deliveryId: id,
        reason,
        facts: { subject, from: row.from_name || row.from_address, until: until ?? '' },
      },
    ])
    await announce(db, tx, now, [{ kind: 'changed', deliveryId: id, state, by: who.staffer.name }])
    const kept = await findOne(db, Deliveries, { id }, { columns: ['expires_at'], tx })
    return kept?.expires_at ?? now
  })
}

/** The moment a day ends. Throws UNTIL_PASSED and TOO_FAR. */
function endOf(day: string, timeZone: string, now: Date): Date {
  const end = new Date(startOfDay(daysBefore(day, -1), timeZone))
  if (end <= now) throw new AppError('UNTIL_PASSED')
  if (day > daysBefore(dayOf(now.getTime(), timeZone), -mostDays)) throw new AppError('TOO_FAR')
  return end
}

/** The last day a message is kept by somebody's word. */
export const lastDayOf = (keptUntil: Date | null, timeZone: string): string | null =>
  keptUntil && dayOf(keptUntil.getTime() - 1, timeZone)
