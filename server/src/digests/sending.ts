import { nextDigest } from '@pendro/core/digest'
import { isAway } from '@pendro/core/keeping'
import { findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { DigestDue } from '../db/models/digests.ts'
import { insert, remove, update } from '../db/rows.ts'
import {
  digestSchedule,
  findMailboxRow,
  organisationNow,
  mailboxRows,
  type MailboxRow,
  type Organisation,
} from '../db/organisation.ts'
import { awayTimes, waitsOf, type Away } from '../deliveries/expiry.ts'
import { cutDigest } from './digests.ts'
import { announce } from '../live/events.ts'
import { pendro, writeRecord } from '../record/write.ts'

const atOnce = 200
const sideBySide = 4

/** Cuts the digests that are due, the number of mailboxes worked on. */
export async function workDigests(
  db: Database,
  { now, publicUrl }: { now: () => Date; publicUrl: string },
): Promise<number> {
  const organisation = await organisationNow(db)
  if (!organisation) return 0
  await planNew(db, organisation, now())
  let worked = 0
  const cutSome = async () => {
    while (worked < atOnce && (await cutNext(db, { organisation, publicUrl, now: now() }))) worked += 1
  }
  // Side by side, as several processes would: while one waits for the database, another composes.
  const ends = await Promise.allSettled(Array.from({ length: sideBySide }, cutSome))
  // Told when all have come to rest: one that fails must not leave the others running on unseen.
  for (const end of ends) if (end.status === 'rejected') throw end.reason
  return worked
}

/** Mailboxes that have no place in the plan yet. */
async function planNew(db: Database, organisation: Organisation, now: Date): Promise<void> {
  const missing = await select<{ id: number }>(
    db,
    'SELECT b.id FROM mailboxes b LEFT JOIN digest_due q ON q.mailbox_id = b.id WHERE q.mailbox_id IS NULL LIMIT 5000',
  )
  const mailboxes = await mailboxRows(
    db,
    missing.map(({ id }) => id),
  )
  if (mailboxes.size === 0) return
  const away = await awayTimes(db, [...mailboxes.keys()])
  try {
    await insert(
      db,
      DigestDue,
      [...mailboxes.values()].map(mailbox => ({
        mailbox_id: mailbox.id,
        next_at: nextOf(mailbox, organisation, away.get(mailbox.id), now),
      })),
    )
  } catch {
    // Another process planned them at the same moment; what is still missing is found at the next look.
  }
}

function nextOf(
  mailbox: MailboxRow,
  organisation: Organisation,
  away: readonly Away[] | undefined,
  now: Date,
): Date | null {
  const next = nextDigest(digestSchedule(mailbox, organisation, waitsOf(away)), now.getTime())
  return next === null ? null : new Date(next)
}

/** A schedule has changed: its next digest is worked out anew. */
export async function planAgain(db: Database, mailboxId: number, tx?: Tx): Promise<void> {
  await remove(db, DigestDue, { mailbox_id: mailboxId }, tx)
}

/**
 * The mailbox that has waited longest. Its row stays locked until all is committed: that is the claim, and a
 * process that dies leaves the mailbox as it was. After a stop the next moment is the first one to come, so
 * that what was missed is told once.
 */
function cutNext(
  db: Database,
  { organisation, publicUrl, now }: { organisation: Organisation; publicUrl: string; now: Date },
): Promise<boolean> {
  return inTransaction(
    db,
    async tx => {
      // By raw SQL: Sequelize drops SKIP LOCKED on MariaDB.
      const due = await findRow<Pick<RowOf<typeof DigestDue>, 'mailbox_id'>>(
        db,
        'SELECT mailbox_id FROM digest_due WHERE next_at <= :now ORDER BY next_at LIMIT 1 FOR UPDATE SKIP LOCKED',
        { now },
        tx,
      )
      if (!due) return false
      const mailbox = await findMailboxRow(db, due.mailbox_id, tx)
      if (!mailbox) {
        await remove(db, DigestDue, { mailbox_id: due.mailbox_id }, tx)
        return true
      }
      const away = (await awayTimes(db, [mailbox.id], tx)).get(mailbox.id)
      // Somebody has gone meanwhile: what would have told them waits.
      const waits = isAway(waitsOf(away), now.getTime())
      const digest = waits ? null : await cutDigest(db, tx, mailbox, { organisation, publicUrl, cut: now })
      await update(
        db,
        DigestDue,
        { next_at: nextOf(mailbox, organisation, away, now) },
        { mailbox_id: mailbox.id },
        tx,
      )
      if (digest) {
        const { listed, leftOut } = digest
        await writeRecord(db, tx, [
          { at: now, act: 'digest-sent', by: pendro, mailboxId: mailbox.id, facts: { listed, leftOut } },
        ])
        await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: '' }])
      }
      return true
    },
    { againOnDuplicate: true },
  )
}
