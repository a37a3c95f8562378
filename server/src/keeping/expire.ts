import { nextDigest } from '@pendro/core/digest'
import { endingStates, isUndecided, type DeliveryState } from '@pendro/core/delivery'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { digestSchedule, mailboxRows, readOrganisation } from '../db/organisation.ts'
import { eraseContent } from '../deliveries/erase.ts'
import { noteEnds, withTrueEnd } from '../deliveries/expiry.ts'
import { moveDeliveries } from '../deliveries/move.ts'
import { openEnquirySql } from '../deliveries/asked-for.ts'
import { announce } from '../live/events.ts'

/** Where a look at what has outlived its days goes on: behind this one, in its state. */
interface Place {
  readonly state: number
  readonly at: Date
  readonly id: number
}

export const firstPlace: Place = { state: 0, at: new Date(0), id: 0 }

interface Due {
  readonly id: number
  readonly message_id: number
  readonly mailbox_id: number
  readonly state: DeliveryState
  readonly received_at: Date
  readonly expires_at: Date
  readonly kept_until: Date | null
  readonly digest_id: number | null
}

export interface ExpiredPart {
  /** How many deliveries have gone. */
  readonly gone: number
  /** Where to go on; `null` when all was looked at. */
  readonly next: Place | null
}

/**
 * Lets the next deliveries go whose days are over (domain.md §7), in one transaction: their content goes, unless somebody
 * else has the same message, and what they were stays as `expired`. Left alone is what an open enquiry asks for, and, where
 * digests are on, what none has told of yet. The noted end says which to look at; the end worked out now decides.
 */
export function expirePart(db: Database, place: Place, now: Date, atOnce: number): Promise<ExpiredPart> {
  const state = endingStates[place.state]
  if (state === undefined) return Promise.resolve({ gone: 0, next: null })
  return inTransaction(db, async tx => {
    const due = await select<Due>(
      db,
      `SELECT d.id, d.message_id, d.mailbox_id, d.state, d.received_at, d.expires_at, d.kept_until, d.digest_id
       FROM deliveries d WHERE d.state = :state AND d.expires_at <= :now
         AND (d.expires_at > :at OR (d.expires_at = :at AND d.id > :id)) AND NOT ${openEnquirySql}
       ORDER BY d.expires_at, d.id LIMIT :atOnce FOR UPDATE SKIP LOCKED`,
      { state, now, at: place.at, id: place.id, atOnce },
      tx,
    )
    const looked = await withTrueEnd(db, tx, due)
    const later = looked.filter(({ trueEnd }) => trueEnd > now)
    await noteEnds(
      db,
      tx,
      later.map(({ id, trueEnd }) => ({ id, to: trueEnd })),
    )
    const ended = await told(
      db,
      tx,
      looked.filter(({ trueEnd }) => trueEnd <= now),
      now,
    )
    await letGo(db, tx, state, ended, now)
    const last = due.at(-1)
    const next = last && due.length === atOnce ? { ...place, at: last.expires_at, id: last.id } : null
    return { gone: ended.length, next: next ?? { ...firstPlace, state: place.state + 1 } }
  })
}

/** Without what a digest has yet to tell of: nobody has had the chance to ask for it. */
async function told(db: Database, tx: Tx, due: readonly Due[], now: Date): Promise<readonly Due[]> {
  const untold = due.filter(({ state, digest_id }) => digest_id === null && isUndecided(state))
  if (untold.length === 0) return due
  const organisation = await readOrganisation(db, tx)
  const mailboxes = await mailboxRows(db, [...new Set(untold.map(({ mailbox_id }) => mailbox_id))], tx)
  const waits = new Set(
    untold
      .filter(({ mailbox_id }) => {
        const mailbox = mailboxes.get(mailbox_id)
        return mailbox && nextDigest(digestSchedule(mailbox, organisation), now.getTime()) !== null
      })
      .map(({ id }) => id),
  )
  return due.filter(({ id }) => !waits.has(id))
}

async function letGo(
  db: Database,
  tx: Tx,
  state: DeliveryState,
  ended: readonly Due[],
  now: Date,
): Promise<void> {
  if (ended.length === 0) return
  const ids = ended.map(({ id }) => id)
  await moveDeliveries(
    db,
    tx,
    'expire',
    ids.map(id => ({ id, from: state, to: 'expired' })),
  )
  await eraseContent(
    db,
    tx,
    ended.map(({ message_id }) => message_id),
  )
  await execute(db, 'DELETE FROM digest_notes WHERE delivery_id IN (:ids)', { ids }, tx)
  // One word for all of them: screens look again, and nobody follows mail that was weeks old one by one.
  await announce(db, tx, now, [{ kind: 'changed', deliveryId: null, state: 'expired', by: '' }])
}
