import type { RecipientStatus } from '@pendro/core/message'
import { isLegal, type DeliveryState } from '@pendro/core/delivery'
import { moveDeliveries } from '../deliveries/move.ts'
import { findRow, inTransaction, type Database } from '../db/database.ts'
import { signingKey } from '../db/signing-keys.ts'
import { announce } from '../live/events.ts'
import type { Reader } from '../reading/reader.ts'
import { readDeliveryMark } from '../outbox/trace.ts'
import { pendro, writeRecord } from '../record/write.ts'

/**
 * Takes a delivery status notification of the mail store (RFC 3464): what it accepted and could not keep is
 * `bounced` after all. Only for mail the store itself handed us; the caller has looked at that. Gives whether
 * it told of a delivery of ours.
 */
export async function takeStatusNotification(
  db: Database,
  raw: Buffer,
  { read, now }: { readonly read: Reader['statusNotification']; readonly now: Date },
): Promise<boolean> {
  const notification = await read(raw)
  const id = readDeliveryMark(
    await signingKey(db, 'deliveries'),
    notification?.returned.get('pendro-delivery') ?? '',
  )
  if (!notification || id === null) return false
  return inTransaction(db, async tx => {
    const delivery = await findRow<{ mailbox_id: number; state: DeliveryState; address: string }>(
      db,
      'SELECT d.mailbox_id, d.state, b.address FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.id = :id FOR UPDATE',
      { id },
      tx,
    )
    // Bound to its recipient: what became of another's copy says nothing of this one.
    const told = notification.recipients.find(
      ({ action, recipient }) =>
        (action === 'failed' || action === 'delayed') && recipient.toLowerCase() === delivery?.address,
    )
    if (!delivery || !told) return false
    const bounces = told.action === 'failed' && isLegal('bounce', delivery.state)
    if (bounces) await moveDeliveries(db, tx, 'bounce', [{ id, from: delivery.state, to: 'bounced' }])
    await writeRecord(db, tx, [
      {
        at: now,
        act: bounces ? 'bounced' : 'store-report',
        by: pendro,
        mailboxId: delivery.mailbox_id,
        deliveryId: id,
        facts: { problem: problemOf(told), host: notification.reportingHost },
      },
    ])
    await announce(db, tx, now, [
      { kind: 'changed', deliveryId: id, state: bounces ? 'bounced' : null, by: '' },
    ])
    return true
  })
}

const problemOf = ({ status, diagnostic }: RecipientStatus): string =>
  diagnostic.includes(status) ? diagnostic : `${diagnostic} ${status}`.trim()
