import { isLegal } from '@pendro/core/delivery'
import { inTransaction, type Database } from '../db/database.ts'
import { eraseContent } from '../deliveries/erase.ts'
import { moveDeliveries } from '../deliveries/move.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type Ruler } from '../sign-in/sessions.ts'
import { ruledDeliveries } from './proposals.ts'
import { refuseOthersMail } from './rulings.ts'

/**
 * Discards for good what was discarded before: all of it, or nothing. Nobody takes it back, and what is in it is gone at
 * once, unless somebody else still has the same message.
 */
export async function eraseForGood(
  db: Database,
  who: Ruler,
  deliveryIds: readonly number[],
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    const deliveries = await ruledDeliveries(db, deliveryIds, { tx, lock: true })
    refuseOthersMail(who, deliveries)
    const kept = deliveries.find(({ state }) => !isLegal('erase', state))
    if (kept)
      throw new AppError('WRONG_STATE', {
        context: 'erase',
        deliveryId: kept.id,
        state: kept.state,
        subject: kept.subject,
      })
    const by = actor(who)
    await moveDeliveries(
      db,
      tx,
      'erase',
      deliveries.map(({ id, state }) => ({ id, from: state, to: 'expired' })),
    )
    await eraseContent(
      db,
      tx,
      deliveries.map(({ message_id }) => message_id),
    )
    await writeRecord(
      db,
      tx,
      deliveries.map(({ id, mailbox_id, subject, from_address }) => ({
        at: now,
        act: 'erased' as const,
        by,
        mailboxId: mailbox_id,
        deliveryId: id,
        facts: { subject, from: from_address },
      })),
    )
    await announce(
      db,
      tx,
      now,
      deliveries.map(({ id }) => ({ kind: 'ruled', deliveryId: id, state: 'expired', by: by.name })),
    )
  })
}
