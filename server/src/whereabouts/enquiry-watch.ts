import { rate, readParty, wordsOf } from '@pendro/core/whereabouts'
import type { WhereQuestion } from '@pendro/contract'
import { execute, inTransaction, select, type Database } from '../db/database.ts'
import { findAll, remove, update } from '../db/rows.ts'
import { Enquiries, EnquiryQueue } from '../db/models/whereabouts.ts'
import { announce } from '../live/events.ts'
import { pendro, writeRecord } from '../record/write.ts'
import { openStates } from '../deliveries/asked-for.ts'

const atOnce = 500
/** What comes in has to fit better than what a staffer is offered to choose from. */
const fits = 0.72

interface Open {
  readonly id: number
  readonly mailbox_id: number
  readonly question: WhereQuestion
}
interface Fresh {
  readonly id: number
  readonly mailbox_id: number
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly received_at: Date
  readonly words: string | null
}

/**
 * Compares what came in with the open enquiries, each delivery once: taking it off the queue is the claim.
 * The number of deliveries looked at.
 */
export function workEnquiries(db: Database, now: Date): Promise<number> {
  return inTransaction(db, async tx => {
    const queued = await select<{ delivery_id: number }>(
      db,
      `SELECT delivery_id FROM enquiry_queue ORDER BY delivery_id LIMIT ${atOnce} FOR UPDATE SKIP LOCKED`,
      {},
      tx,
    )
    if (queued.length === 0) return 0
    const ids = queued.map(({ delivery_id }) => delivery_id)
    const fresh = await select<Fresh>(
      db,
      `SELECT d.id, d.mailbox_id, d.from_name, d.from_address, d.subject, d.received_at, w.words FROM deliveries d
       LEFT JOIN message_words w ON w.message_id = d.message_id WHERE d.id IN (:ids) ORDER BY d.id`,
      { ids },
      tx,
    )
    const open = await findAll(
      db,
      Enquiries,
      { state: [...openStates] },
      { columns: ['id', 'mailbox_id', 'question'], tx },
    )
    const found = open.flatMap(enquiry =>
      fresh.filter(delivery => isMeant(enquiry, delivery)).map(delivery => ({ enquiry, delivery })),
    )
    for (const { enquiry, delivery } of found) {
      await execute(
        db,
        "INSERT IGNORE INTO enquiry_deliveries (enquiry_id, delivery_id, how, at) VALUES (:enquiry, :delivery, 'came in', :now)",
        { enquiry: enquiry.id, delivery: delivery.id, now },
        tx,
      )
      await update(db, Enquiries, { changed_at: now }, { id: enquiry.id }, tx)
    }
    await writeRecord(
      db,
      tx,
      found.map(({ enquiry, delivery }) => ({
        at: now,
        act: 'enquiry-came-in',
        by: pendro,
        mailboxId: delivery.mailbox_id,
        deliveryId: delivery.id,
        facts: { enquiry: enquiry.id, subject: delivery.subject },
      })),
    )
    await announce(
      db,
      tx,
      now,
      found.map(({ delivery }) => ({ kind: 'enquiry', deliveryId: delivery.id, state: null, by: '' })),
    )
    await remove(db, EnquiryQueue, { delivery_id: [...ids] }, tx)
    return queued.length
  })
}

/** Whether a new delivery is what somebody waits for: in their mailbox, and like what they asked for. */
function isMeant({ mailbox_id, question }: Open, delivery: Fresh): boolean {
  if (delivery.mailbox_id !== mailbox_id) return false
  const from = readParty(question.from)
  const about = wordsOf(question.about)
  if (from.kind === 'none' && about.length === 0) return false
  const rating = rate(
    // It may come at any time from now on.
    { from, about, to: null, when: null },
    {
      from: { name: delivery.from_name, address: delivery.from_address },
      subject: delivery.subject,
      text: delivery.words ?? '',
      mailboxId: delivery.mailbox_id,
      at: delivery.received_at.getTime(),
      outOfSight: false,
    },
  )
  return rating !== null && rating.likeness >= fits
}
