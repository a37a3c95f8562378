import type { Database } from '../db/database.ts'
import { findRow } from '../db/database.ts'
import { organisationNow, standbyOf as settingOf } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { outages, storeNameOf, type Outage } from '../stores/outages.ts'
import { visited, type Visited } from '../stores/stores.ts'

/** What a standby mailbox is just now. */
export interface Standby {
  readonly mailbox: Visited
  /** `null`: the mail store answers. */
  readonly outage: Outage | null
  /** The organisation has switched it on. */
  readonly isOn: boolean
}

/** The standby mailbox of a colleague: their own mailbox alone, whoever’s mail they mind. */
export async function standbyOf(db: Database, mailboxId: number, now: Date): Promise<Standby> {
  const [organisation, mailbox, away] = await Promise.all([
    organisationNow(db),
    visited(db, mailboxId),
    outages(db, now),
  ])
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  return {
    mailbox,
    outage: away.get(storeNameOf(organisation, mailbox)) ?? null,
    isOn: settingOf(organisation).on,
  }
}

/** States of deliveries that wait for their mail store, and places colleagues look at; junk is not theirs to wait for. */
export const waitingSql = `d.state = 'deferred' AND d.bound_for IN ('inbox', 'aside', 'moved', 'released')`

/** What is still to be done when a mail store is back: mail to hand over, and letters to put into the Sent folder. */
export async function unfinished(
  db: Database,
  { id, address }: Visited,
): Promise<{ readonly waiting: number; readonly unfiled: number }> {
  const row = await findRow<{ deliveries: number; relays: number; unfiled: number }>(
    db,
    `SELECT (SELECT COUNT(*) FROM deliveries d WHERE d.mailbox_id = :id AND ${waitingSql}) AS deliveries,
       (SELECT COUNT(*) FROM relays r WHERE r.recipient = :address AND r.state = 'waiting') AS relays,
       (SELECT COUNT(*) FROM standby_letters l WHERE l.mailbox_id = :id AND l.state = 'sent' AND l.filed_at IS NULL) AS unfiled`,
    { id, address },
  )
  return { waiting: (row?.deliveries ?? 0) + (row?.relays ?? 0), unfiled: row?.unfiled ?? 0 }
}

/** Throws where there is nothing to read or write here: the mail program has all of it. */
export async function needStandby(db: Database, mailboxId: number, now: Date): Promise<Standby> {
  const standby = await standbyOf(db, mailboxId, now)
  if (!standby.isOn) throw new AppError('STANDBY_CLOSED')
  if (standby.outage === null) {
    const { waiting, unfiled } = await unfinished(db, standby.mailbox)
    // Whoever is at it when the store comes back ends what they have begun.
    const drafts = await findRow<{ n: number }>(
      db,
      "SELECT COUNT(*) AS n FROM standby_letters WHERE mailbox_id = :id AND state = 'draft'",
      { id: mailboxId },
    )
    if (waiting + unfiled + (drafts?.n ?? 0) === 0) throw new AppError('STANDBY_CLOSED')
  }
  return standby
}
